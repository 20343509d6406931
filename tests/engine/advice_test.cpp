// The rules of advice; the order of steps they keep is common practice, no source.
#include <gtest/gtest.h>

#include "engine/advice.h"
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
  EXPECT_EQ(rules(chain_of({"normalise", "noise-reduction", "cut", "de-ess", "compressor", "normalise"})), Rules{});
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

// Rules go by a step's family, so that a later step is covered on the day it is added.
TEST(Advice, WhatSpreadsInTimeStandsBehindDynamics) {
  StepType hall = *find_step("gain");
  hall.label = "Hall";
  hall.id = "hall";
  hall.family = Family::space;
  Chain c = chain_of({"normalise", "compressor", "normalise"});
  c.steps.insert(c.steps.begin() + 1, {&hall, standard_settings(hall), true});
  const auto all = advise(c);
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].rule, "space-before-dynamics");
  EXPECT_EQ(all[0].mended.steps[2].type, &hall);
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

}  // namespace
}  // namespace drevan
