// SPDX-License-Identifier: GPL-3.0-or-later
// The rules of advice; the order of steps they keep is common practice, no source.
#include <gtest/gtest.h>

#include "engine/planning/advice.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::with;

Chain chain_of(std::initializer_list<const char*> ids) {
  Chain c;
  for (const char* id : ids) c.steps.push_back(make_step(id));
  return c;
}
std::vector<std::string> rules(const Chain& c, const LevelPath* levels = nullptr) {
  std::vector<std::string> out;
  for (const auto& a : advise(c, levels)) out.push_back(a.rule);
  return out;
}
using Rules = std::vector<std::string>;

TEST(Advice, AGoodChainIsLeftAlone) {
  EXPECT_EQ(
      rules(chain_of({"normalise", "noise-reduction", "cut", "de-ess", "compressor", "normalise"})),
      Rules{});
  EXPECT_EQ(rules(chain_of({"noise-reduction", "equaliser", "compressor", "limiter"})), Rules{});
  EXPECT_EQ(rules({}), Rules{});
}

TEST(Advice, EachRuleSpeaksAndItsMendSilencesIt) {
  Chain deep = chain_of({"noise-reduction", "normalise"});
  deep.steps[0] = with("noise-reduction", {{"depth_db", 20}});
  const std::pair<const char*, Chain> cases[] = {
      {"noise-reduction-behind", chain_of({"cut", "compressor", "noise-reduction", "normalise"})},
      {"noise-reduction-behind", chain_of({"equaliser", "noise-reduction", "normalise"})},
      {"twice", chain_of({"compressor", "compressor", "normalise"})},
      {"limiter-not-last", chain_of({"limiter", "normalise"})},
      {"no-final-level", chain_of({"cut", "compressor"})},
      {"too-much-reduction", deep}};
  for (const auto& [rule, chain] : cases) {
    const auto all = advise(chain);
    ASSERT_EQ(all.size(), 1U) << rule;
    EXPECT_EQ(all[0].rule, rule);
    EXPECT_FALSE(all[0].reason.empty());
    EXPECT_FALSE(all[0].action.empty());
    EXPECT_EQ(rules(all[0].mended), Rules{}) << rule;
  }
}

TEST(Advice, StepsThatAreOffAreNoMatter) {
  Chain c = chain_of({"compressor", "noise-reduction", "normalise"});
  c.steps[0].on = false;
  EXPECT_EQ(rules(c), Rules{});
}

// Rules go by a step's traits, so that a later step is covered on the day it is added.
TEST(Advice, WhatSpreadsInTimeStandsBehindDynamics) {
  StepType hall = *find_step("gain");
  hall.label = "Hall";
  hall.id = "hall";
  hall.traits.spreads_in_time = true;
  Chain c = chain_of({"normalise", "compressor", "normalise"});
  c.steps.insert(c.steps.begin() + 1, {&hall, standard_settings(hall), true});
  const auto all = advise(c);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "space-before-dynamics");
  EXPECT_EQ(all[0].mended.steps[2].type, &hall);
  EXPECT_EQ(rules(all[0].mended), Rules{});
}

TEST(Advice, AWallStandsBehindTheLine) {
  const auto all = advise(chain_of({"wall", "telephone", "normalise"}));
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "wall-before-line");
  EXPECT_EQ(all[0].mended.steps[1].type->id, "wall");
  EXPECT_EQ(rules(all[0].mended), Rules{});
}

TEST(Advice, ALoudspeakerStandsBetweenLineAndWall) {
  const auto all = advise(chain_of({"loudspeaker", "telephone", "wall", "normalise"}));
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "loudspeaker-before-line");
  EXPECT_EQ(all[0].mended.steps[1].type->id, "loudspeaker");
  EXPECT_EQ(rules(all[0].mended), Rules{});
}

TEST(Advice, AWallStandsBehindThePlace) {
  const auto all = advise(chain_of({"telephone", "loudspeaker", "wall", "acoustics", "normalise"}));
  ASSERT_FALSE(all.empty());
  EXPECT_EQ(all[0].rule, "wall-before-line");
  EXPECT_EQ(all[0].mended.steps[3].type->id, "wall");
  EXPECT_EQ(rules(all[0].mended), Rules{});
}

TEST(Advice, AnOverIsTakenOffWhereItHappens) {
  Chain c = chain_of({"cut", "compressor", "gain"});
  c.steps[0].on = false;
  c.steps[1] = with("compressor", {{"make_up_db", 9}});
  LevelPath levels;
  levels.stages.resize(3);
  for (auto& s : levels.stages) s.sample_peak_dbfs = -6;
  EXPECT_TRUE(advise(c, &levels).empty());
  levels.first_over = 1;
  levels.stages[1].sample_peak_dbfs = levels.stages[2].sample_peak_dbfs = 2.3;
  auto all = advise(c, &levels);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].action, "Take 2.4 dB off its make-up");
  EXPECT_NEAR(all[0].mended.steps[1].settings[6], 6.6, 1e-9);
  // No room in the make-up: a gain behind it.
  c.steps[1] = with("compressor", {{"make_up_db", 1}});
  all = advise(c, &levels);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].mended.steps.size(), 4U);
  EXPECT_NEAR(all[0].mended.steps[2].settings[0], -2.4, 1e-9);
  // What a later step brings down again is no over.
  levels.stages[2].sample_peak_dbfs = -3;
  EXPECT_TRUE(advise(c, &levels).empty());
}

TEST(Advice, ACompressorThatNothingReachesIsTold) {
  Chain c = chain_of({"gain", "compressor", "normalise"});
  LevelPath levels;
  levels.stages.resize(4);
  levels.stages[1].sample_peak_dbfs = -26;
  const auto all = advise(c, &levels);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "does-nothing");
  EXPECT_EQ(all[0].action, "Use -36");
  levels.stages[1].sample_peak_dbfs = -6;
  EXPECT_TRUE(advise(c, &levels).empty());
}

// Levels of a clip as they might have been measured: one stage more than steps.
LevelPath stages(std::initializer_list<Levels> all) {
  LevelPath path;
  path.stages = all;
  return path;
}

TEST(Advice, ThresholdIsReadOffTheQuietWords) {
  const Levels in{.sample_peak_dbfs = -3, .noise_floor_dbfs = -50, .quiet_words_dbfs = -14.2};
  const LevelPath levels = stages({in, in, in});
  for (const double threshold : {-28.0, -5.0}) {
    Chain c = chain_of({"compressor", "normalise"});
    c.steps[0] = with("compressor", {{"threshold_db", threshold}});
    const auto all = advise(c, &levels);
    ASSERT_EQ(all.size(), 1U) << threshold;
    EXPECT_EQ(all[0].rule, "threshold-off");
    EXPECT_EQ(all[0].action, "Use -14");
    EXPECT_EQ(rules(all[0].mended, &levels), Rules{});
  }
  EXPECT_EQ(rules(chain_of({"compressor", "normalise"}), &levels), Rules{});  // -15 is near enough
}

TEST(Advice, AGateThatNeverClosesIsNamed) {
  const Levels in{.sample_peak_dbfs = -3, .noise_floor_dbfs = -38};
  const LevelPath levels = stages({in, in, in});
  Chain c = chain_of({"gate", "normalise"});
  c.steps[0] = with("gate", {{"threshold_db", -50}});
  const auto all = advise(c, &levels);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "does-nothing");
  EXPECT_EQ(rules(all[0].mended, &levels), Rules{});
}

TEST(Advice, AStrayPeakThatShrinksTheClipIsShown) {
  const Levels in{.sample_peak_dbfs = -0.5,
                  .noise_floor_dbfs = -60,
                  .loud_words_dbfs = -13,
                  .peak_at = 5 * 48000};
  Levels out = in;
  out.sample_peak_dbfs = -3;
  const LevelPath levels = stages({in, out});
  const auto all = advise(chain_of({"normalise"}), &levels);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "stray-peaks");
  EXPECT_DOUBLE_EQ(*all[0].at_s, 5);
  EXPECT_EQ(all[0].mended.steps[0].type->id, "limiter");
  EXPECT_EQ(rules(all[0].mended), Rules{});
}

TEST(Advice, ARoomToneWithSpeechIsNamedAndABetterOneOffered) {
  const RoomToneJudgement tone{RoomToneFlaw::speech, ClipRange{4.5, 5.5}};
  const auto all = advise(chain_of({"noise-reduction", "normalise"}), nullptr, 48000, &tone);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "room-tone");
  EXPECT_EQ(all[0].room_tone, tone.better);
  const RoomToneJudgement good;
  EXPECT_TRUE(advise(chain_of({"noise-reduction", "normalise"}), nullptr, 48000, &good).empty());
  EXPECT_TRUE(
      advise(chain_of({"normalise"}), nullptr, 48000, &tone).empty());  // nobody learns from it
}

// Levels from a real clip: words, and a knock far above them.
TEST(Advice, AKnockInAMeasuredClipIsFound) {
  const test::TempFolder folder;
  AudioBuffer x = test::noise(0.0005, 12, 1);
  test::add(x, test::words(0.08, 10), 1);
  for (size_t i = 0; i < 40; ++i) x.channel(0)[7 * 48000 + i] += 0.9F;
  test::write_wav(folder / "knock.wav", x);
  FindingStore store;
  LevelStore known;
  const CancelToken never{};
  LevelPathOptions options;
  options.store = &store;
  options.levels = &known;
  options.cancel = &never;
  const Chain chain = chain_of({"normalise"});
  const LevelPath levels =
      measure_level_path(plan_of({folder / "knock.wav", 0, -1, 48000, {}}, chain), options);
  const auto all = advise(chain, &levels);
  ASSERT_FALSE(all.empty());
  EXPECT_EQ(all[0].rule, "stray-peaks");
  EXPECT_NEAR(*all[0].at_s, 7, 0.01);
  const LevelPath mended =
      measure_level_path(plan_of({folder / "knock.wav", 0, -1, 48000, {}}, all[0].mended), options);
  EXPECT_GT(*mended.stages.back().loudness_lufs, *levels.stages.back().loudness_lufs + 6);
}

TEST(Advice, SidesThatCancelInMonoAreTold) {
  const test::TempFolder folder;
  AudioBuffer x = test::noise(0.1, 2, 3, 48000, 2);
  // Nearly each other's opposite.
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    x.channel(1)[i] = -0.9F * x.channel(0)[i] + 0.1F * x.channel(1)[i];
  test::write_wav(folder / "wide.wav", x);
  FindingStore store;
  LevelStore known;
  const CancelToken never{};
  LevelPathOptions options;
  options.store = &store;
  options.levels = &known;
  options.cancel = &never;
  const auto told = [&](const Chain& chain) {
    const LevelPath levels =
        measure_level_path(plan_of({folder / "wide.wav", 0, -1, 48000, {}}, chain), options);
    const auto all = advise(chain, &levels);
    const auto at = std::ranges::find(all, "hole-in-mono", &Advice::rule);
    return at == all.end() ? std::optional<Advice>() : *at;
  };
  const auto advice = told(chain_of({"width"}));
  ASSERT_TRUE(advice);
  EXPECT_NE(advice->reason.find("loses"), std::string::npos);
  EXPECT_EQ(advice->mended.steps[0].settings[0], 50);
  EXPECT_FALSE(told(chain_of({"gain"}))) << "no step of the chain does it";
}

TEST(Advice, AMixThatIsDeliveredNeedsALimiter) {
  LevelPath levels;
  levels.stages.resize(2);
  levels.stages.back().sample_peak_dbfs = -0.3;
  const auto all = advise(chain_of({"compressor"}), &levels, 48000, nullptr, -1.0);
  ASSERT_FALSE(all.empty());
  EXPECT_EQ(all[0].rule, "no-mix-limiter");
  EXPECT_EQ(all[0].mended.steps.back().type->id, "limiter");
  EXPECT_TRUE(advise(all[0].mended, nullptr, 48000, nullptr, -1.0).empty());
  const auto silent = [](const std::vector<Advice>& of) {
    return std::ranges::find(of, "no-mix-limiter", &Advice::rule) == of.end();
  };
  // Far below, or of a clip, there is no need.
  levels.stages.back().sample_peak_dbfs = -9;
  EXPECT_TRUE(silent(advise(chain_of({"compressor"}), &levels, 48000, nullptr, -1.0)));
  EXPECT_TRUE(silent(advise(chain_of({"compressor"}))));
}

// What comes behind a clip's own chain may set its level, and what is said of voices is not said of a mix.
TEST(AdviseClip, KnowsWhatComesBehindTheClip) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"0", "Ines"}}, 1);
  const auto rules = [&](const Clip& clip) {
    std::vector<std::string> out;
    for (const Advice& a : advise_clip(reel, clip, nullptr, nullptr, -1.0)) out.push_back(a.rule);
    return out;
  };
  reel.clips[0].chain = {{make_step("cut")}};
  EXPECT_EQ(rules(reel.clips[0]), std::vector<std::string>{"no-final-level"});
  reel.groups[0].chain = {{make_step("normalise")}};
  EXPECT_TRUE(rules(reel.clips[0]).empty());
  reel.groups[0].chain.steps[0].on = false;
  EXPECT_EQ(rules(reel.clips[0]), std::vector<std::string>{"no-final-level"});
  // Of the mix: that nothing holds what is delivered, and nothing of a clip's own level.
  reel.mix.chain = {{make_step("cut")}};
  EXPECT_EQ(rules(reel.mix), std::vector<std::string>{"no-mix-limiter"});
  reel.mix.chain.steps.push_back(make_step("limiter"));
  EXPECT_TRUE(rules(reel.mix).empty());
}

}  // namespace
}  // namespace drevan
