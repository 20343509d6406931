// SPDX-License-Identifier: GPL-3.0-or-later
// A clip's moments by each of its clocks, there and back, over chains made at random; and what goes
// wrong where one is taken for another.
#include "reel/times/clip_times.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <type_traits>

#include "batch/mix.h"
#include "engine/rendering/process.h"
#include "engine/making/room_tone_fill.h"
#include "reel/edits/cuts.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

// The compiler refuses one for another.
static_assert(!std::is_convertible_v<ClipTime, HeardTime>);
static_assert(!std::is_convertible_v<HeardTime, ReelTime>);
static_assert(!std::is_convertible_v<double, ReelTime>);
static_assert(!std::is_convertible_v<ClipSpan, ClipTime>);

class ClipTimesTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "Talk"}, {"b", "Talk"}}, 4);
    reel.clips[0].place = ReelTime{10};
    reel.clips[1].place = ReelTime{30};
  }
  Clip& clip() { return reel.clips[0]; }
  AudioBuffer sum(const Reel& of) {
    std::filesystem::remove_all(t / "sum");
    return test::read_all(render_sum(of, t / "sum" / "sum.wav", store, never).path);
  }
  test::TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

ChainStep random_rewriter(std::mt19937& random) {
  const double pct = 25 + static_cast<double>(random() % 300);
  switch (random() % 4) {
    case 0:
      return test::with("stretch", {{"length_pct", pct}});
    case 1:
      return test::with("speed", {{"speed_pct", pct}});
    case 2:
      return make_step("reverse");
    default: {
      ChainStep step = make_step("stretch");
      const int length = parameter_index(*step.type, "length_pct");
      step.curves = {{length, std::make_shared<const Curve>(Curve{{{0.5, pct, CurveShape::hold},
                                                                   {2, 100, CurveShape::line},
                                                                   {3, 60, CurveShape::line}}})}};
      return step;
    }
  }
}

TEST_F(ClipTimesTest, EveryMomentGoesThereAndBackWithinAFrame) {
  std::mt19937 random(7);
  for (int round = 0; round < 200; ++round) {
    clip().chain.steps.clear();
    reel.groups[0].chain.steps.clear();
    for (unsigned n = random() % 3; n > 0; --n)
      clip().chain.steps.push_back(random_rewriter(random));
    if (random() % 3 == 0) reel.groups[0].chain.steps.push_back(random_rewriter(random));
    const ClipTimes times = times_of(reel, clip());
    const double frame = 1 / reel.rate;
    for (double s = -1; s <= 5; s += 0.37) {
      const ClipTime at{s};
      EXPECT_NEAR(in_clip(times, heard(times, at)).s, s, frame);
      EXPECT_NEAR(in_clip(times, in_reel(times, at)).s, s, frame);
      EXPECT_NEAR(in_clip(times, in_source(times, at)).s, s, 1e-9);
      const HeardTime later{s};
      EXPECT_NEAR(heard(times, in_reel(times, later)).s, s, 1e-9);
    }
    // Order is kept where the map rises, turned where it falls; ranges stay ranges.
    const bool back = times.clock.backwards();
    EXPECT_EQ(heard(times, ClipTime{1}) > heard(times, ClipTime{2}), back);
    const HeardRange range = heard(times, ClipRange{{1}, {2}});
    EXPECT_LT(range.begin, range.end);
    const ClipRange again = in_clip(times, range);
    EXPECT_NEAR(again.begin.s, 1, frame);
    EXPECT_NEAR(again.end.s, 2, frame);
    EXPECT_NEAR(whole_in_reel(times).begin.s, 10, frame) << "nothing leads that is not heard yet";
  }
}

// As the sound comes out that is really made of it.
TEST_F(ClipTimesTest, TheClockIsThatOfTheSoundThatIsMade) {
  std::mt19937 random(3);
  for (int round = 0; round < 8; ++round) {
    clip().chain.steps = {random_rewriter(random), random_rewriter(random)};
    ProcessOptions options;
    options.store = &store;
    options.cancel = &never;
    const auto done = process_clip(plan_of(reel, clip()), options, {});
    const ClipTimes foretold = times_of(reel, clip());
    const ClipTimes made = with_clock(foretold, done.stages.back().from_clip);
    for (double s = 0; s <= 4; s += 0.5)
      EXPECT_NEAR(heard(made, ClipTime{s}).s, heard(foretold, ClipTime{s}).s, 1e-6);
  }
}

// A clip that is cut sounds as it did: pieces stand where they were heard, and none on another.
class CutByTheClock : public ClipTimesTest, public testing::WithParamInterface<int> {};

TEST_P(CutByTheClock, PiecesStandWhereTheyWereHeard) {
  const std::vector<std::vector<ChainStep>> chains = {
      {test::with("stretch", {{"length_s", 8}})},
      {test::with("stretch", {{"length_pct", 200}})},
      {test::with("speed", {{"speed_pct", 50}})},
      {make_step("reverse")},
      {test::with("speed", {{"speed_pct", 50}}), make_step("reverse")}};
  clip().chain.steps = chains[static_cast<size_t>(GetParam())];
  // A gain that falls in two halves, behind what changes the clock.
  ChainStep gain = make_step("gain");
  const bool longer = GetParam() != 3;
  gain.curves = {
      {0, std::make_shared<const Curve>(Curve{{{longer ? 4.0 : 2.0, -6, CurveShape::hold},
                                               {longer ? 5.0 : 2.5, -30, CurveShape::hold}}})}};
  clip().chain.steps.push_back(gain);
  settle_step_ids(reel);
  const AudioBuffer whole = sum(reel);
  const ClipTime at[] = {{2.0}};
  const Reel cut = edits::split(reel, 1, at).next;
  ASSERT_EQ(cut.clips.size(), 3U);
  const ReelRange first = whole_in_reel(times_of(cut, cut.clips[0])),
                  second = whole_in_reel(times_of(cut, cut.clips[1]));
  const auto [early, late] = std::minmax(first.begin, second.begin);
  const ReelRange& before = early == first.begin ? first : second;
  EXPECT_NEAR(before.end.s, late.s, 1e-3) << "they touch";
  EXPECT_NEAR(early.s, 10, 1e-3);
  EXPECT_NEAR(first.length().s + second.length().s, whole_heard(times_of(reel, clip())).length().s,
              1e-3);
  const AudioBuffer pieces = sum(cut);
  // The level along the way is as it was, in tenths of a second; stretching is begun anew in each.
  for (double s = 10.1; s < 10 + 2 * first.length().s - 0.2; s += 0.1) {
    if (std::abs(s - late.s) < 0.15) continue;
    const auto level = [&](const AudioBuffer& x) {
      return test::rms_db(x.channel(0).subspan(static_cast<size_t>(s * 48000), 4800));
    };
    EXPECT_NEAR(level(pieces), level(whole), 1.5) << s;
  }
}
INSTANTIATE_TEST_SUITE_P(Clocks, CutByTheClock, testing::Range(0, 5));

// A step that is off has no clock: curves behind it are cut as if it were not there.
TEST_F(ClipTimesTest, AStepThatIsOffTurnsNoClockWhenItIsCut) {
  ChainStep gain = make_step("gain");
  gain.curves = {{0, std::make_shared<const Curve>(
                         Curve{{{1, -6, CurveShape::hold}, {2.5, -30, CurveShape::hold}}})}};
  clip().chain.steps = {test::with("stretch", {{"length_pct", 200}}), gain};
  clip().chain.steps[0].on = false;
  settle_step_ids(reel);
  const ClipTime at[] = {{2.0}};
  const Reel cut = edits::split(reel, 1, at).next;
  const AudioBuffer whole = sum(reel), pieces = sum(cut);
  for (size_t i = 480000; i < 672000; ++i) {
    // Where it is cut a fade of a few milliseconds keeps it from clicking.
    if (i > 575500 && i < 576500) continue;
    ASSERT_NEAR(pieces.channel(0)[i], whole.channel(0)[i], 1e-5F) << i;
  }
}

TEST_F(ClipTimesTest, TrimmedToHalfAStretchedClipIsHalfAsLong) {
  clip().chain.steps = {test::with("stretch", {{"length_s", 8}})};
  const Reel half = edits::trim(reel, 1, {{0}, {2}}).next;
  EXPECT_NEAR(whole_heard(times_of(half, half.clips[0])).length().s, 4, 1e-6);
}

// A split within a fade: what is heard goes on without a jump (it was 8 dB).
TEST_F(ClipTimesTest, AFadeThatIsCutGoesOn) {
  for (const auto shape : {CurveShape::line, CurveShape::smooth}) {
    const Reel faded = edits::set_fades(reel, 1, {2.0, shape}, {1.5, shape}).next;
    const ClipTime at[] = {{0.8}, {3.1}};
    const Reel cut = edits::split(faded, 1, at).next;
    EXPECT_NEAR(cut.clips[1].fade_in.gone_s, 0.8, 1e-9);
    const AudioBuffer whole = sum(faded), pieces = sum(cut);
    float most = 0;
    for (size_t i = 480000; i < 672000; ++i) {
      const double s = static_cast<double>(i) / 48000 - 10;
      if (std::abs(s - 0.8) < 0.003 || std::abs(s - 3.1) < 0.003) continue;
      most = std::max(most, std::abs(whole.channel(0)[i] - pieces.channel(0)[i]));
    }
    EXPECT_LT(most, 1e-5F);
    EXPECT_EQ(reel_from_text(reel_to_text(cut, t.path()), t.path(), "x"), cut);
  }
}

// Gaps and new clips look at what is heard, not at what is in the source.
TEST_F(ClipTimesTest, GapsAndNewClipsComeBehindWhatIsHeard) {
  clip().chain.steps = {test::with("stretch", {{"length_s", 12}})};
  const auto gaps = tone_gaps(reel, 1);
  ASSERT_EQ(gaps.size(), 1U);
  EXPECT_NEAR(gaps[0].range.begin.s, 22, 1e-6);
  reel.clips[1].chain.steps = {test::with("stretch", {{"length_s", 12}})};
  Reel more = reel;
  const ClipId id = add_clip(more, more.sources[0], "Talk");
  EXPECT_EQ(more.find(id)->place.s, 42);
  // What fills a gap is as long as the gap, whatever stretches its lender.
  const edits::ToneClip tone[] = {{reel.sources[1], gaps[0].range.begin, 1, 2}};
  const Reel filled = edits::fill_with_tone(reel, 1, 1, tone, 0.05).next;
  EXPECT_TRUE(filled.clips.back().chain.steps.empty());
}

// A curve of the group counts the reel's time, also behind a reverb that is turned round and leads.
TEST_F(ClipTimesTest, AGroupsCurveIsWhereTheReelHasItBehindWhatLeads) {
  ChainStep reverb = test::with("reverb", {{"decay_s", 3}});
  ChainStep gain = make_step("gain");
  gain.curves = {{0, std::make_shared<const Curve>(
                         Curve{{{12, 0, CurveShape::hold}, {12.5, -60, CurveShape::hold}}})}};
  clip().chain.steps = {reverb, make_step("reverse")};
  reel.groups[0].chain.steps = {gain};
  settle_step_ids(reel);
  const AudioBuffer with = sum(reel);
  reel.groups[0].chain.steps[0].curves.clear();
  const AudioBuffer without = sum(reel);
  const auto level = [&](const AudioBuffer& x, double from, double to) {
    return test::rms_db(x.channel(0).subspan(static_cast<size_t>(from * 48000),
                                             static_cast<size_t>((to - from) * 48000)));
  };
  EXPECT_NEAR(level(with, 11.9, 12.48), level(without, 11.9, 12.48), 0.1) << "not early";
  EXPECT_LT(level(with, 12.52, 13.5), level(without, 12.52, 13.5) - 40);
}

TEST_F(ClipTimesTest, APlaceMattersUnderAGroupsCurve) {
  Reel moved = reel;
  moved.clips[0].place = ReelTime{11};
  EXPECT_TRUE(sounds_the_same(reel, moved, 1));
  ChainStep gain = make_step("gain");
  gain.curves = {{0, std::make_shared<const Curve>(Curve{{{0, 0}, {20, -20}}})}};
  for (Reel* r : {&reel, &moved}) r->groups[0].chain.steps = {gain};
  EXPECT_FALSE(sounds_the_same(reel, moved, 1));
}

}  // namespace
}  // namespace drevan
