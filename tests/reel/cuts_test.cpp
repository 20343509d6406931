// SPDX-License-Identifier: GPL-3.0-or-later
// Cutting clips: every edit as a function of a reel, without a window.
#include "reel/edits/cuts.h"

#include <gtest/gtest.h>

#include <random>

#include "engine/rendering/process.h"
#include "reel/edits/groups.h"
#include "reel/scene/scene_edits.h"
#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::expect_impossible;

using test::TempFolder;

class Cuts : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"take", "Ines"}, {"other", "Ines"}, {"last", "Ines"}}, 4);
    reel.clips[0].room_tone = ClipRange{0.5, 1.25};
    before = reel;
  }
  // Nothing is changed in place; what comes out opens again.
  void TearDown() override { EXPECT_EQ(reel, before); }

  static void expect_opens_again(const Reel& reel) {
    const Reel again = reel_from_text(reel_to_text(reel, "/"), "/", "x.reel");
    EXPECT_EQ(again, reel);
  }
  static AudioBuffer sound_of(const Reel& reel, const Clip& clip) {
    ClipReader reader(clip_sound(reel, clip));
    AudioBuffer out(reader.channels(), static_cast<int>(reader.frames()));
    for (int at = 0; at < out.frames();) {
      const int n = reader.read(out.block(at, std::min(3000, static_cast<int>(out.frames()) - at)));
      if (n <= 0) break;
      at += n;
    }
    return out;
  }

  TempFolder t;
  Reel reel, before;
};

TEST_F(Cuts, SplitPiecesSoundAsTheClipDidAndStandWhereItStood) {
  const ClipTime at[] = {{1.5}, {3.0}};
  const auto edit = edits::split(reel, 1, at);
  ASSERT_EQ(edit.next.clips.size(), 5U);
  const auto& c = edit.next.clips;
  EXPECT_EQ(c[0].id.number(), 1);
  EXPECT_EQ(c[1].name, "take 2");
  EXPECT_EQ(c[2].name, "take 3");
  EXPECT_NEAR(c[2].place.s, reel.clips[0].place.s + 3, 1e-9);
  EXPECT_EQ(c[0].frames + c[1].frames + c[2].frames, reel.clips[0].frames);
  const AudioBuffer whole = sound_of(reel, reel.clips[0]);
  Samples from = 0;
  for (size_t i = 0; i < 3; ++i) {
    const AudioBuffer piece = sound_of(edit.next, c[i]);
    // But for the 2 ms at a cut.
    for (int k = 0; k < piece.frames(); ++k) {
      const bool fades = (i > 0 && k < 96) || (i < 2 && k >= piece.frames() - 96);
      const float want = whole.channel(0)[static_cast<size_t>(from + k)];
      const float got = piece.channel(0)[static_cast<size_t>(k)];
      if (!fades) ASSERT_EQ(got, want) << i << " " << k;
      if (fades) ASSERT_LE(std::abs(got), std::abs(want) + 1e-7F);
    }
    EXPECT_EQ(std::abs(piece.channel(0)[0]) < 0.001F,
              i > 0 || std::abs(whole.channel(0)[0]) < 0.001F);
    from += piece.frames();
  }
  expect_opens_again(edit.next);
}

// Noise reduction of a piece learns what that of the take learned, though the room tone is
// elsewhere.
TEST_F(Cuts, PiecesLearnFromTheTakesRoomTone) {
  reel.clips[0].chain.steps = {test::with("noise-reduction", {})};
  settle_step_ids(reel);
  before = reel;
  const auto learned = [](const Reel& of, const Clip& clip) {
    const CancelToken never{};
    FindingStore store;
    ProcessOptions options;
    options.store = &store;
    options.cancel = &never;
    const auto done = process_clip(plan_of(of, clip), options, [](const AudioBlock&) {});
    return done.findings.at(0).values;
  };
  const ClipTime at[] = {{2.0}};
  const auto edit = edits::split(reel, 1, at);
  const auto whole = learned(reel, reel.clips[0]);
  EXPECT_EQ(learned(edit.next, edit.next.clips[0]), whole);
  const auto piece = learned(edit.next, edit.next.clips[1]);
  ASSERT_EQ(piece.size(), whole.size());
  double off = 0, all = 0;
  for (size_t i = 0; i < whole.size(); ++i) {
    off += std::abs(static_cast<double>(piece[i] - whole[i]));
    all += std::abs(static_cast<double>(whole[i]));
  }
  EXPECT_LT(off, 0.05 * all);
  ASSERT_TRUE(edit.next.clips[1].room_tone);
  EXPECT_NEAR(edit.next.clips[1].room_tone->begin.s, -1.5, 1e-9);
  expect_opens_again(edit.next);
}

TEST_F(Cuts, CurvesMoveSoThatWhatIsHeardStays) {
  reel.clips[0].chain.steps = {test::with("gain", {})};
  reel.clips[0].chain.steps[0].curves = {
      {0, std::make_shared<const Curve>(Curve{{{0, -20}, {4, 0}}})}};
  settle_step_ids(reel);
  before = reel;
  const ClipTime at[] = {{1.0}};
  const auto edit = edits::split(reel, 1, at);
  const auto& later = *edit.next.clips[1].chain.steps[0].curves[0].curve;
  EXPECT_NEAR(value_at(later, find_step("gain")->parameters[0], 0), -15, 1e-9);
  EXPECT_NE(edit.next.clips[1].chain.steps[0].id, edit.next.clips[0].chain.steps[0].id);
}

TEST_F(Cuts, WhatASplitCannotDoIsTold) {
  for (const double s : {0.0, 4.0, -1.0, 99.0, std::nan("")}) {
    const ClipTime at[] = {{s}};
    expect_impossible([&] { edits::split(reel, 1, at); }, "nothing to split");
  }
  const ClipTime at[] = {{1.0}};
  expect_impossible([&] { edits::split(reel, 77, at); }, "not in the reel any more");
  expect_impossible([&] { edits::split(reel, mix_clip_id, at); }, "The mix");
}

TEST_F(Cuts, ASelectionIsTakenOutAndTheRestClosesUp) {
  const auto open = edits::take_out(reel, 1, {1, 2.5}, false);
  ASSERT_EQ(open.next.clips.size(), 4U);
  EXPECT_NEAR(open.next.clips[1].place.s, 2.5, 1e-9);
  EXPECT_EQ(open.next.clips[2].place.s, reel.clips[1].place.s);
  const auto closed = edits::take_out(reel, 1, {1, 2.5}, true);
  EXPECT_NEAR(closed.next.clips[1].place.s, 1, 1e-9);
  EXPECT_NEAR(closed.next.clips[2].place.s, reel.clips[1].place.s - 1.5, 1e-9);
  const auto head = edits::take_out(reel, 1, {0, 1}, true);
  ASSERT_EQ(head.next.clips.size(), 3U);
  EXPECT_NEAR(head.next.clips[0].place.s, 0, 1e-9);
  EXPECT_EQ(head.next.clips[0].frames, 3 * 48000);
  expect_impossible([&] { edits::take_out(reel, 1, {0, 4}, false); }, "all of the clip");
  expect_impossible([&] { edits::take_out(reel, 1, {2, 2}, false); }, "Select");
}

// Only its own row closes up: who speaks elsewhere stays where the picture has them.
TEST_F(Cuts, ClosingUpMovesNoOtherRow) {
  Reel two = edits::group_by(reel, std::vector<ClipId>{3}, [](const Clip&) { return "Odd"; }).next;
  two.clips[1].place = ReelTime{6};
  two.clips[2].place = ReelTime{7};
  const Reel closed = edits::take_out(two, 1, {1, 2.5}, true).next;
  EXPECT_NEAR(closed.find(ClipId{2})->place.s, 4.5, 1e-9);
  EXPECT_EQ(closed.find(ClipId{3})->place.s, 7);
}

// A clip that was brought to a length, cut and joined again is as long as it was.
TEST_F(Cuts, WhatWasStretchedIsJoinedToItsLength) {
  Reel stretched = reel;
  stretched.clips[0].chain.steps = {test::with("stretch", {{"length_s", 8}})};
  settle_step_ids(stretched);
  const ClipTime at[] = {{1.0}};
  const Reel cut = edits::split(stretched, 1, at).next;
  const ClipId ids[] = {cut.clips[0].id, cut.clips[1].id};
  const Reel joined = edits::join(cut, ids).next;
  EXPECT_NEAR(whole_heard(times_of(joined, *joined.find(ClipId{1}))).length().s, 8, 1e-6);
}

TEST_F(Cuts, TrimmingReachesBackIntoTheSource) {
  const auto shorter = edits::trim(reel, 1, {1, 3});
  EXPECT_EQ(shorter.next.clips[0].begin, 48000);
  EXPECT_EQ(shorter.next.clips[0].frames, 96000);
  EXPECT_NEAR(shorter.next.clips[0].fade_in.seconds, edits::cut_fade_s, 1e-9);
  const auto longer = edits::trim(shorter.next, 1, {-1, 3});
  EXPECT_EQ(longer.next.clips[0].begin, 0);
  EXPECT_EQ(longer.next.clips[0].frames, 4 * 48000);
  // The whole source has no cut that could click.
  EXPECT_EQ(longer.next.clips[0].fade_in, EdgeFade{});
  EXPECT_EQ(longer.next.clips[0].fade_out, EdgeFade{});
  EXPECT_EQ(longer.next.clips[0].room_tone, reel.clips[0].room_tone);
  expect_impossible([&] { edits::trim(reel, 1, {-0.5, 3}); }, "more than the source");
  expect_impossible([&] { edits::trim(reel, 1, {1, 1.001}); }, "too short");
}

TEST_F(Cuts, NeighboursAreJoinedAndNothingElse) {
  const ClipTime at[] = {{1.0}, {2.0}};
  const auto cut = edits::split(reel, 1, at);
  const ClipId ids[] = {cut.next.clips[2].id, cut.next.clips[0].id, cut.next.clips[1].id};
  const auto joined = edits::join(cut.next, ids);
  ASSERT_EQ(joined.next.clips.size(), 3U);
  Reel same = joined.next;
  same.last_clip_id = reel.last_clip_id;
  EXPECT_EQ(same, reel);
  const ClipId apart[] = {cut.next.clips[0].id, cut.next.clips[2].id};
  expect_impossible([&] { edits::join(cut.next, apart); }, "do not touch");
  const ClipId others[] = {1, 2};
  expect_impossible([&] { edits::join(reel, others); }, "different files");
  const ClipId one[] = {1};
  expect_impossible([&] { edits::join(reel, one); }, "Mark the clips");
}

TEST_F(Cuts, WhatIsJoinedSaysAllOfItsTextAndTellsWhatItCannotKeep) {
  const ClipTime at[] = {{1.0}};
  Reel cut = edits::split(reel, 1, at).next;
  cut.clips[0].text = "Who is";
  cut.clips[1].text = "there?";
  cut = edits::add_space(cut, "Hall", {{make_step("reverb")}}).next;
  const SpaceId space = cut.spaces[0].id();
  const ClipId ids[] = {cut.clips[0].id, cut.clips[1].id};
  EXPECT_TRUE(edits::join(cut, ids).told.empty()) << edits::join(cut, ids).told;
  EXPECT_EQ(edits::join(cut, ids).next.clips[0].text, "Who is there?");
  cut = edits::set_send(cut, ids[1], space, -6).next;
  EXPECT_NE(edits::join(cut, ids).told.find("is sent"), std::string::npos)
      << edits::join(cut, ids).told;
}

TEST_F(Cuts, PiecesKeepTheirVersionsWhereTheseAreAsLong) {
  Clip& clip = reel.clips[0];
  Version printed{.what = "printed"};
  printed.top.steps = {make_step("gain")};
  Source file = reel.sources[1];
  file.path = t / "printed.wav";
  add_version(reel, clip.id, printed, file);
  before = reel;
  const ClipTime at[] = {{1.0}};
  auto cut = edits::split(reel, 1, at).next;
  ASSERT_EQ(cut.clips[1].versions.size(), 2U);
  EXPECT_EQ(cut.clips[1].version, 1);
  go_to_version(cut.clips[1], 0);
  EXPECT_EQ(cut.clips[1].begin, 48000);
  EXPECT_EQ(cut.clips[1].frames, 3 * 48000);
  EXPECT_EQ(cut.clips[1].source, before.clips[0].versions[0].source);
  expect_opens_again(cut);
  // A stretched print has another clock.
  Reel stretched = reel;
  stretched.clips[0].versions[0].frames /= 2;
  const auto told = edits::split(stretched, 1, at);
  EXPECT_TRUE(told.next.clips[1].versions.empty());
  EXPECT_FALSE(told.told.empty());
}

TEST_F(Cuts, CopiesSitOutWhereTheirOriginalsDo) {
  reel.groups[0].chain.steps = {make_step("compressor")};
  settle_step_ids(reel);
  sit_out_of_group(reel, 1, true);
  sit_out_of_step(reel.groups[0].chain.steps[0], 1, true);
  before = reel;
  const ClipId ids[] = {1};
  const auto edit = edits::duplicate(reel, ids);
  const Clip& copy = edit.next.clips[1];
  EXPECT_EQ(copy.name, "take 2");
  EXPECT_TRUE(sits_out_of_group(edit.next, copy));
  EXPECT_EQ(edit.next.groups[0].chain.steps[0].sits_out, (std::vector<ClipId>{1, copy.id}));
}

TEST_F(Cuts, FadesAreHeardInTheirShape) {
  const auto edit = edits::set_fades(reel, 1, {1.0, CurveShape::line}, {0.5, CurveShape::smooth});
  const AudioBuffer whole = sound_of(reel, reel.clips[0]),
                    faded = sound_of(edit.next, edit.next.clips[0]);
  const auto gain = [&](double s) {
    const auto i = static_cast<size_t>(s * 48000);
    return static_cast<double>(faded.channel(0)[i]) / static_cast<double>(whole.channel(0)[i]);
  };
  EXPECT_NEAR(gain(0.25), 0.25, 1e-3);
  EXPECT_NEAR(gain(2), 1, 1e-9);
  EXPECT_NEAR(gain(3.75), 0.5, 1e-3);
  EXPECT_NEAR(gain(3.875), 0.15625, 1e-3);  // x^2 (3 - 2x) at a quarter
  EXPECT_FALSE(sounds_the_same(reel, edit.next, 1));
  EXPECT_NE(identity(clip_sound(reel, reel.clips[0])),
            identity(clip_sound(edit.next, edit.next.clips[0])));
  expect_opens_again(edit.next);
  expect_impossible([&] { edits::set_fades(reel, 1, {5}, {}); }, "longer than");
  expect_impossible([&] { edits::set_fades(reel, 1, {-1}, {}); }, "longer than");
}

TEST_F(Cuts, ATakeBecomesNamedPieces) {
  const edits::Piece pieces[] = {{{0.2, 1}, "Stairs"}, {{0.9, 2}, ""}, {{3, 4}, "Lamp room"}};
  const auto edit = edits::cut_into(reel, 1, pieces);
  ASSERT_EQ(edit.next.clips.size(), 5U);
  EXPECT_EQ(edit.next.clips[0].name, "Stairs");
  EXPECT_EQ(edit.next.clips[1].name, "take 2");
  EXPECT_EQ(edit.next.clips[2].name, "Lamp room");
  EXPECT_EQ(edit.next.clips[2].fade_out, EdgeFade{});
  const edits::Piece beyond[] = {{{3, 4.5}}};
  expect_impossible([&] { edits::cut_into(reel, 1, beyond); }, "does not lie within");
}

// Wherever a clip is split: the pieces lie one behind the other, cover it all, and none is too short to take.
TEST(CutsTest, SplitAnywhereLeavesNoPieceTooShortAndNothingOut) {
  const test::TempFolder t;
  const Reel reel = test::reel_of(t, {{"0", "Ines"}}, 2);
  std::minstd_rand random(11);
  for (int round = 0; round < 40; ++round) {
    std::vector<ClipTime> at;
    const int count = 1 + static_cast<int>(random() % 6);
    for (int i = 0; i < count; ++i) {
      // Some close together, some close to an end.
      const double s = 0.02 * static_cast<double>(random() % 101);
      at.push_back(ClipTime{s});
      if (random() % 2 == 0) at.push_back(ClipTime{s + 0.006});
    }
    // Refused only where all of them lie at the clip's ends.
    const bool any = std::ranges::any_of(at, [](ClipTime s) {
      return s.s >= edits::least_piece_s && s.s <= 2 - edits::least_piece_s;
    });
    if (!any) {
      EXPECT_THROW(edits::split(reel, reel.clips[0].id, at), Error);
      continue;
    }
    const Reel next = edits::split(reel, reel.clips[0].id, at).next;
    Samples begin = reel.clips[0].begin;
    for (const Clip& c : next.clips) {
      EXPECT_EQ(c.begin, begin) << round;
      EXPECT_GE(static_cast<double>(c.frames) / 48000, edits::least_piece_s - 1e-9) << round;
      begin = c.begin + c.frames;
    }
    EXPECT_EQ(begin, reel.clips[0].begin + reel.clips[0].frames) << round;
  }
}

}  // namespace
}  // namespace drevan
