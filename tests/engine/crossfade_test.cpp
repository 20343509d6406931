// SPDX-License-Identifier: GPL-3.0-or-later
// Clips that cross in a row: what is heard where one goes over into the other.
#include "engine/scene/crossfade.h"

#include <gtest/gtest.h>

#include <cmath>

#include "batch/mix.h"
#include "reel/edits/cuts.h"
#include "reel/edits/groups.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "reel/edits/takes.h"
#include "support/reels.h"

namespace drevan {
namespace {

// After an edit, as the document does it.
Reel settled(edits::Edit edit, const Reel& before) {
  edits::settle_alike(edit.next, before, alike_where_they_cross);
  return std::move(edit.next);
}
Reel placed(const Reel& reel, std::span<const edits::PlacedClip> places) {
  return settled(edits::place_clips(reel, places), reel);
}

class CrossingsTest : public testing::Test {
 protected:
  void two(AudioBuffer a, AudioBuffer b) {
    test::write_wav(t / "a.wav", a);
    test::write_wav(t / "b.wav", b);
    for (const char* name : {"a.wav", "b.wav"}) add_clip(reel, examine_source(t / name), "Talk");
    reel.clips[0].place = ReelTime{1};
    reel.clips[1].place = ReelTime{10};
  }
  AudioBuffer mix() {
    std::filesystem::remove_all(t / "mix");
    return test::read_all(render_sum(reel, t / "mix" / "mix.wav", store, never).path);
  }
  test::TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

// M. Fink, M. Holters, U. Zoelzer, DAFx 2016: whatever the two have in common, the power of the sum
// stays.
TEST_F(CrossingsTest, ThePowerStaysForSoundsAlikeAndNot) {
  for (const double common : {0.0, 0.5, 0.8, 1.0}) {
    reel = {};
    AudioBuffer shared = test::noise(0.1, 8, 1), a = test::noise(0.1, 4, 2),
                b = test::noise(0.1, 4, 3);
    // Where they lie on each other, from 3 to 4 s of a and from 0 to 1 s of b, they share it.
    const double own = std::sqrt(1 - common);
    for (size_t i = 0; i < 4 * 48000; ++i) {
      const auto k = static_cast<float>(std::sqrt(common)), o = static_cast<float>(own);
      a.channel(0)[i] = o * a.channel(0)[i] + k * shared.channel(0)[i];
      b.channel(0)[i] = o * b.channel(0)[i] + k * shared.channel(0)[i + 3 * 48000];
    }
    two(std::move(a), std::move(b));
    const edits::PlacedClip to[] = {{2, 4.0}};
    reel = placed(reel, to);
    const Crossings row(reel, GroupId{1});
    ASSERT_TRUE(row.into(2));
    EXPECT_EQ(row.out_of(1), row.into(2));
    EXPECT_NEAR(row.into(2)->alike, common, 0.02);
    EXPECT_NEAR(row.into(2)->in.s, 1.0, 1e-9);
    EXPECT_NEAR(row.into(2)->out.s, 1.0, 1e-9);
    const AudioBuffer y = mix();
    const auto level = [&](double from_s, double to_s) {
      return test::rms_db(y.channel(0).subspan(static_cast<size_t>(from_s * 48000),
                                               static_cast<size_t>((to_s - from_s) * 48000)));
    };
    const double before = level(1.5, 4), after = level(5, 7.5);
    for (double s = 4; s < 5; s += 0.1) {
      EXPECT_NEAR(level(s, s + 0.1), before, 0.35) << common << " at " << s;
      EXPECT_NEAR(level(s, s + 0.1), after, 0.35) << common << " at " << s;
    }
  }
}

TEST_F(CrossingsTest, AlikeSoundsInStepAreAsIfUncut) {
  const AudioBuffer whole = test::words(0.3, 6);
  AudioBuffer a(1, 4 * 48000), b(1, 4 * 48000);
  std::ranges::copy(whole.channel(0).first(4 * 48000), a.channel(0).begin());
  std::ranges::copy(whole.channel(0).last(4 * 48000), b.channel(0).begin());
  two(std::move(a), std::move(b));
  const edits::PlacedClip to[] = {{2, 3.0}};
  reel = placed(reel, to);
  EXPECT_NEAR(Crossings(reel, GroupId{1}).take().at(0).alike, 1, 1e-6);
  for (const double middle : {0.5, 0.2}) {
    reel = edits::set_middle(reel, 1, 2, middle).next;
    const AudioBuffer y = mix();
    for (size_t i = 0; i < whole.channel(0).size(); ++i)
      ASSERT_NEAR(y.channel(0)[48000 + i], whole.channel(0)[i], 2e-5) << i;
  }
}

// Found by the walk of edits, half an hour long: of clips that begin together the one listed last went
// over into the next, so that a row sounded otherwise when its clips were put in another order.
TEST_F(CrossingsTest, TheOrderOfTheListIsNotHeard) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  add_clip(reel, examine_source(t / "b.wav"), "Talk");
  reel.clips[0].place = reel.clips[1].place = ReelTime{0};
  reel.clips[1].frames = 3 * 48000;
  reel.clips[2].place = ReelTime{2};
  const auto before = Crossings(reel).take();
  ASSERT_EQ(before.size(), 1U);
  const ClipId first[] = {1};
  reel = edits::move_clips(reel, first, reel.clips[0].group, 0).next;
  ASSERT_EQ(reel.clips[2].id.number(), 1);
  EXPECT_EQ(Crossings(reel).take(), before);
}

TEST_F(CrossingsTest, ComeAndGoWithThePlaces) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  const edits::PlacedClip on[] = {{2, 4.0}}, off[] = {{2, 6.0}}, within[] = {{1, 1.0}, {2, 1.0}};
  const auto crossing = [&] {
    auto all = Crossings(reel).take();
    return all.empty() ? std::nullopt : std::optional(all[0]);
  };
  reel = placed(reel, on);
  ASSERT_TRUE(crossing());
  EXPECT_EQ(crossing()->before.number(), 1);
  EXPECT_EQ(crossing()->over, (ReelRange{{4}, {5}}));
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
  // The shape stays while they are dragged.
  reel = edits::set_middle(reel, 1, 2, 0.3).next;
  const edits::PlacedClip nearer[] = {{1, 1.5}};
  reel = placed(reel, nearer);
  EXPECT_EQ(crossing()->middle, 0.3);
  EXPECT_NEAR(crossing()->out.s, 1.5, 1e-9);
  reel = placed(reel, off);
  EXPECT_FALSE(crossing());
  EXPECT_THROW(edits::set_middle(reel, 1, 2, 0.4), Error);
  // One within the other, or begun with it, is layered.
  reel = placed(reel, within);
  EXPECT_FALSE(crossing());
  // The other way round.
  const edits::PlacedClip round[] = {{1, 4.0}, {2, 1.0}};
  reel = placed(reel, round);
  ASSERT_TRUE(crossing());
  EXPECT_EQ(crossing()->before.number(), 2);
  reel = edits::set_layered(reel, 1, true).next;
  EXPECT_FALSE(crossing()) << "it is layered";
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
  reel = edits::set_layered(reel, 1, false).next;
  ASSERT_TRUE(crossing());
  // Rows do not cross.
  reel.clips[0].group = group_called(reel, "Other");
  EXPECT_FALSE(crossing());
}

// Whatever moves an edge gives the right fades, since nobody has to remember them (issue: a hole of
// up to 14 dB, a fade from nothing, +6 dB).
TEST_F(CrossingsTest, EveryEditThatMovesAnEdgeLeavesTheRowAsLoud) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  AudioBuffer third = test::noise(0.1, 4, 3);
  test::write_wav(t / "c.wav", third);
  add_clip(reel, examine_source(t / "c.wav"), "Talk");
  const edits::PlacedClip on[] = {{1, 1.0}, {2, 4.0}, {3, 4.0}};
  const ClipId takes[] = {2, 3};
  const Reel start =
      settled(edits::make_takes(placed(reel, on), takes), reel);  // 2 is chosen, 3 is left out
  const auto level = [&](const Reel& of, double from_s, double to_s) {
    std::filesystem::remove_all(t / "mix");
    const AudioBuffer y = test::read_all(render_sum(of, t / "mix" / "mix.wav", store, never).path);
    return test::rms_db(y.channel(0).subspan(static_cast<size_t>(from_s * 48000),
                                             static_cast<size_t>((to_s - from_s) * 48000)));
  };
  const double alone = level(start, 2, 3.9);
  EXPECT_NEAR(level(start, 4, 5), alone, 0.5);
  const Reel other = settled(edits::choose_take(start, 3), start);
  EXPECT_NEAR(level(other, 4, 5), alone, 0.5) << "another take is chosen";
  const ClipId gone[] = {2};
  const Reel without = settled(edits::remove_clips(placed(reel, on), gone), reel);
  EXPECT_NEAR(level(without, 4, 5), alone, 0.5) << "one is removed";
  const Reel shorter = settled(edits::trim(start, 1, {{0}, {3.0}}), start);
  EXPECT_NEAR(level(shorter, 4.01, 4.9), alone, 0.5) << "trimmed: they only touch";
  const Reel less = settled(edits::trim(start, 1, {{0}, {3.5}}), start);
  EXPECT_NEAR(level(less, 4, 4.5), alone, 0.6) << "trimmed, they still cross";
  const Reel stretched =
      settled(edits::stretch_to(start, 1, HeardSpan{3.5}, edits::StretchWay::tape), start);
  EXPECT_NEAR(level(stretched, 4, 4.5), level(stretched, 2, 3.9), 1.2) << "shortened like tape";
}

// Before version 7 both fades told of a crossfade; what lay on each other without was summed.
TEST_F(CrossingsTest, OfAnOlderFileAreTakenAsTheyWere) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  reel.clips[1].place = ReelTime{4};
  std::string text = reel_to_text(reel, t.path());
  const auto put = [&](const std::string& from, const std::string& to) {
    ASSERT_NE(text.find(from), std::string::npos) << from;
    text.replace(text.find(from), from.size(), to);
  };
  put("\"drevan_reel\": 8", "\"drevan_reel\": 6");
  // Groups and sources were named by their places then.
  for (int i = 0; i < 2; ++i) put("\"group\": 1", "\"group\": 0");
  put("\"source\": 1", "\"source\": 0");
  put("\"source\": 2", "\"source\": 1");
  EXPECT_TRUE(reel_from_text(text, t.path(), "x").clips[1].layered) << "summed, as it was";
  put("\"place_s\": 1.0", "\"place_s\": 1.0, \"fade_out\": [1.0, \"crossed\", 0.25, 0.75]");
  put("\"place_s\": 4.0", "\"place_s\": 4.0, \"fade_in\": [1.0, \"crossed\", 0.25, 0.75]");
  const Reel read = reel_from_text(text, t.path(), "x");
  EXPECT_FALSE(read.clips[1].layered);
  EXPECT_EQ(read.crossfades, (std::vector<Crossfade>{{1, 2, 0.25, 0.75}}));
  EXPECT_EQ(read.clips[0].fade_out, EdgeFade{});
}

TEST_F(CrossingsTest, WrongOnesInAFileAreRefused) {
  two(test::noise(0.1, 4, 1), test::noise(0.1, 4, 2));
  const edits::PlacedClip on[] = {{2, 4.0}};
  reel = placed(reel, on);
  reel.crossfades = {{1, 2, 0.25, 0.75}};
  const std::pair<std::string, std::string> changes[] = {
      {"0.25", "1.5"}, {"0.75", "0.95"}, {"0.75", "null"}};
  test::expect_refused(reel_to_text(reel, t.path()), t.path(), changes);
}

}  // namespace
}  // namespace drevan
