// SPDX-License-Identifier: GPL-3.0-or-later
// Gaps filled with room tone: its level, its spectrum, and that nothing comes again.
#include "engine/making/room_tone_fill.h"

#include <gtest/gtest.h>

#include <cmath>

#include "audio/error.h"
#include "measure/noise_floor.h"
#include "reel/edits/cuts.h"
#include "reel/scene/scene_edits.h"
#include "support/extent.h"
#include "support/impossible.h"
#include "support/reels.h"

namespace drevan {
namespace {

using test::TempFolder;

// Noise of a room: duller than white.
AudioBuffer room(double level, double seconds, unsigned seed) {
  AudioBuffer x = test::noise(level, seconds, seed);
  float low = 0;
  for (float& s : x.channel(0)) s = low += 0.3F * (s - low);
  return x;
}

TEST(RoomTone, IsAsLoudEverywhereAndDoesNotComeAgain) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const double marked_s : {0.6, 2.0}) {
    const AudioBuffer tone = room(0.01, marked_s, 5);
    const AudioBuffer x = longer_room_tone(tone, 48000, 48000 * 12, 1);
    const auto all = x.channel(0);
    // Loudness in tenths of a second stays within what the tone's own does, and a decibel.
    const double own = test::rms_db(tone.channel(0));
    for (size_t at = 0; at + 4800 <= all.size(); at += 4800)
      ASSERT_NEAR(test::rms_db(all.subspan(at, 4800)), own, 1.5) << at;
    // Like itself later: 1 where it came again.
    double worst = 0;
    std::vector<double> squares{0};
    for (const float s : all) squares.push_back(squares.back() + static_cast<double>(s * s));
    for (size_t lag = 4800; lag < 48000 * 3; lag += 3) {
      double cross = 0;
      const size_t n = 24000, from = 96000;
      for (size_t i = from; i < from + n; ++i)
        cross += static_cast<double>(all[i]) * static_cast<double>(all[i + lag]);
      const double power = std::sqrt((squares[from + n] - squares[from]) *
                                     (squares[from + lag + n] - squares[from + lag]));
      worst = std::max(worst, std::abs(cross / power));
    }
    EXPECT_LT(worst, marked_s < 1 ? 0.75 : 0.5) << marked_s;
    // The same spectrum: what a difference leaves of it.
    const auto high_db = [](std::span<const float> s) {
      std::vector<float> d;
      for (size_t i = 1; i < s.size(); ++i) d.push_back(s[i] - s[i - 1]);
      return test::rms_db(d) - test::rms_db(s);
    };
    EXPECT_NEAR(high_db(all), high_db(tone.channel(0)), 0.5);
    EXPECT_EQ(test::rms_db(longer_room_tone(tone, 48000, 48000 * 12, 1).channel(0)),
              test::rms_db(all));
  }
  EXPECT_EQ(longer_room_tone(AudioBuffer(2, 0), 48000, 100, 1).frames(), 100);
}

class FillGaps : public testing::Test {
 protected:
  FillGaps() {
    const std::pair<const char*, double> clips[] = {{"a", 0.01}, {"b", 0.01}, {"c", 0.02}};
    unsigned seed = 7;
    for (const auto& [name, level] : clips) {
      AudioBuffer x = room(level, 2, seed++);
      const std::string file = std::string(name) + ".wav";
      test::write_wav(t / file, x);
      add_clip(reel, examine_source(t / file), "Ines/stairs");
    }
    for (int i = 0; i < 3; ++i) reel.clips[static_cast<size_t>(i)].place = ReelTime{3.0 * i};
    reel.clips[0].room_tone = ClipRange{0.2, 1.4};
  }
  TempFolder t;
  Reel reel;
};

TEST_F(FillGaps, GapsAreFoundAndFilledAtTheLevelOfTheirNeighbours) {
  ASSERT_EQ(tone_gaps(reel, 1), (std::vector<ToneGap>{{2, 3, 1, 2}, {5, 6, 2, 3}}));
  const auto filled = fill_gaps(reel, 1, t / "x room tone", {});
  ASSERT_EQ(filled.size(), 2U);
  const double first = test::rms_db(test::read_all(filled[0].file).channel(0)),
               second = test::rms_db(test::read_all(filled[1].file).channel(0));
  const double a = test::rms_db(test::read_all(t / "a.wav").channel(0));
  EXPECT_NEAR(first, a, 1);
  // Between a quiet and a loud one: the mean of their powers.
  EXPECT_NEAR(second - first, 10 * std::log10((1 + 4) / 2.0), 0.7);
  std::vector<edits::ToneClip> tones;
  for (const auto& f : filled)
    tones.push_back({examine_source(f.file), f.gap.range.begin - ReelSpan{tone_fade_s},
                     f.gap.before, f.gap.after});
  const auto edit = edits::fill_with_tone(reel, 1, 1, tones, tone_fade_s);
  EXPECT_EQ(edit.label, "Fill 2 gaps with room tone");
  ASSERT_EQ(edit.next.clips.size(), 5U);
  EXPECT_TRUE(tone_gaps(edit.next, 1).empty());
  const Crossings row(edit.next, GroupId{1});
  ASSERT_EQ(row.all().size(), 4U) << "each is crossfaded with both of its neighbours";
  for (const Crossing& c : row.all()) EXPECT_NEAR(c.over.length().s, tone_fade_s, 1e-6);
  EXPECT_TRUE(edit.next.clips[3].room_tone);
  // Filled again there are other files, and none is written over.
  EXPECT_NE(fill_gaps(reel, 1, t / "x room tone", {})[0].file, filled[0].file);
}

// Room, speech, room, speech: the tone that is marked lies before both pieces. What fills the gap
// between them is the room, not what they say.
TEST_F(FillGaps, AToneOutsideOfItsPiecesIsTheRoomStill) {
  std::vector<AudioBuffer> parts;
  for (unsigned take = 0; take < 2; ++take) {
    parts.push_back(room(0.001, 2, 10 * take + 1));
    for (unsigned word = 0; word < 2; ++word) {
      parts.push_back(room(0.2, 0.7, 10 * take + 2 * word + 2));
      parts.push_back(room(0.001, 0.8, 10 * take + 2 * word + 3));
    }
  }
  AudioBuffer spoken = test::join(parts);
  test::write_wav(t / "take.wav", spoken);
  Reel take;
  add_clip(take, examine_source(t / "take.wav"), "Ines/stairs");
  take.clips[0].room_tone = ClipRange{0.2, 1.8};
  const edits::Piece pieces[] = {{{2.0, 5.0}}, {{7.0, 10.0}}};
  take = edits::cut_into(take, 1, pieces).next;
  ASSERT_EQ(tone_gaps(take, 1).size(), 1U);
  const auto filled = fill_gaps(take, 1, t / "tone", {});
  ASSERT_EQ(filled.size(), 1U);
  EXPECT_NEAR(test::rms_db(test::read_all(filled[0].file).channel(0)),
              test::rms_db(parts[0].channel(0)), 2);
}

TEST_F(FillGaps, WithoutARoomToneOrAGapItIsSaid) {
  reel.clips[0].room_tone.reset();
  test::expect_impossible([&] { fill_gaps(reel, 1, t / "y", {}); },
                          "No room tone is marked in Ines");
  EXPECT_FALSE(std::filesystem::exists(t / "y"));
  CancelToken now;
  now.cancel();
  reel.clips[1].room_tone = ClipRange{0, 1};
  EXPECT_THROW(fill_gaps(reel, 1, t / "y", now), Cancelled);
  // Clips that touch or lie on each other leave none.
  reel.clips[1].place = ReelTime{2};
  reel.clips[2].place = ReelTime{3};
  EXPECT_TRUE(tone_gaps(reel, 1).empty());
}

// A clip that lies within another ends no sound that goes on.
TEST_F(FillGaps, AClipWithinAnotherMakesNoGap) {
  reel.clips[1].frames = 24000;
  reel.clips[1].place = ReelTime{0.5};
  reel.clips[2].place = ReelTime{5};
  EXPECT_EQ(tone_gaps(reel, 1), (std::vector<ToneGap>{{2, 5, 1, 3}}));
}

}  // namespace
}  // namespace drevan
