// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of many clips at once, without a window.
#include "reel/edits/many.h"

#include <gtest/gtest.h>

#include <set>

#include "steps/curve_edit.h"
#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::expect_impossible;

using test::TempFolder;

class Many : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Buoy"}}, 1);
    reel.clips[0].chain.steps = {make_step("cut"), make_step("limiter")};
    reel.clips[1].chain.steps = {make_step("compressor")};
    settle_step_ids(reel);
    before = reel;
  }
  void TearDown() override { EXPECT_EQ(reel, before); }

  static std::string steps(const Reel& reel, size_t clip) {
    std::string out;
    for (const auto& s : reel.clips[clip].chain.steps) out += std::string(s.type->id) + " ";
    return out;
  }
  static void expect_own_ids(Reel reel) {
    std::set<StepId> seen;
    for (const auto* chain : live_chains(reel))
      for (const auto& step : chain->steps) EXPECT_TRUE(seen.insert(step.id).second);
  }

  TempFolder t;
  Reel reel, before;
  const ClipId ab[2] = {1, 2};
};

TEST_F(Many, StepsArePastedIntoAllOfThem) {
  Recipe recipe;
  recipe.chain.steps = {test::with("gain", {{"gain_db", 3}}), make_step("gate")};
  const auto end = edits::paste_steps(reel, ab, recipe, -1);
  EXPECT_EQ(steps(end.next, 0), "cut limiter gain gate ");
  EXPECT_EQ(steps(end.next, 1), "compressor gain gate ");
  expect_own_ids(end.next);
  EXPECT_EQ(steps(edits::paste_steps(reel, ab, recipe, 1).next, 0), "cut gain gate limiter ");
  const auto group = edits::paste_steps_into(reel, 1, {ChainOwner::group, 0}, recipe);
  EXPECT_EQ(group.next.groups[0].chain.steps.size(), 2U);
  expect_own_ids(group.next);
  expect_impossible([&] { edits::paste_steps(reel, ab, {}, 0); }, "no steps");
  const ClipId gone[] = {9};
  expect_impossible([&] { edits::paste_steps(reel, gone, recipe, 0); }, "not in the reel");
}

// What is drawn in a clip's own time counts the reel's in a chain that several share.
TEST_F(Many, CurvesArePastedWhereTheyAreHeard) {
  reel.clips[0].place = ReelTime{10};
  before = reel;
  Recipe recipe;
  recipe.chain.steps = {make_step("gain")};
  recipe.chain.steps[0].curves = {{0, std::make_shared<const Curve>(Curve{{{0.2, -3}, {0.7, 0}}})}};
  for (const auto& [owner, begins] :
       {std::pair{ChainOwner::clip, 0.2}, {ChainOwner::group, 10.2}, {ChainOwner::reel, 10.2}}) {
    const Reel next = edits::paste_steps_into(reel, 1, {owner, 0}, recipe).next;
    const auto& steps = chain_of(next, next.clips[0], owner).steps;
    ASSERT_FALSE(steps.empty());
    ASSERT_EQ(steps[0].curves.size(), 1U);
    EXPECT_NEAR(steps[0].curves[0].curve->points[0].s, begins, 1e-9);
  }
}

TEST_F(Many, SettingsFitTheirOwnKindAlone) {
  Recipe recipe;
  recipe.chain.steps = {test::with("cut", {{"low_hz", 120}})};
  recipe.chain.steps[0].curves = {{0, std::make_shared<const Curve>(Curve{{{0, 80}, {1, 200}}})}};
  const StepId cut = reel.clips[0].chain.steps[0].id;
  const auto next = edits::paste_settings(reel, 1, cut, recipe).next;
  EXPECT_EQ(next.clips[0].chain.steps[0].settings.values[0], 120);
  EXPECT_EQ(next.clips[0].chain.steps[0].curves.size(), 1U);
  EXPECT_EQ(next.clips[0].chain.steps[0].id, cut);
  const StepId limiter = reel.clips[0].chain.steps[1].id;
  expect_impossible([&] { edits::paste_settings(reel, 1, limiter, recipe); }, "do not fit");
  recipe.chain.steps.push_back(make_step("gain"));
  expect_impossible([&] { edits::paste_settings(reel, 1, cut, recipe); }, "one step alone");
}

TEST_F(Many, ClipsMoveUpAndDownByADecibel) {
  auto next = edits::nudge_gain(reel, ab, 1).next;
  EXPECT_EQ(steps(next, 0), "cut gain limiter ");
  EXPECT_EQ(steps(next, 1), "compressor gain ");
  next = edits::nudge_gain(next, ab, -3).next;
  EXPECT_EQ(steps(next, 0), "cut gain limiter ");
  EXPECT_EQ(next.clips[0].chain.steps[1].settings.values[0], -2);
  for (int i = 0; i < 100; ++i) next = edits::nudge_gain(next, ab, 1).next;
  EXPECT_EQ(next.clips[0].chain.steps[1].settings.values[0], find_step("gain")->parameters[0].most);
  expect_own_ids(next);
  EXPECT_EQ(edits::nudge_gain(reel, ab, 1).merge, edits::nudge_gain(reel, ab, -1).merge);
  EXPECT_EQ(steps(edits::take_steps_off(reel, ab).next, 0), "");
}

TEST_F(Many, OneSettingOfAllThatHaveTheStep) {
  const StepType& cut = *find_step("cut");
  const auto edit = edits::turn_alike(reel, ab, cut, 0, 150);
  EXPECT_EQ(edit.next.clips[0].chain.steps[0].settings.values[0], 150);
  EXPECT_EQ(edit.told, "1 step set");
  expect_impossible([&] { edits::turn_alike(reel, ab, *find_step("gate"), 0, -30); }, "None of");
  expect_impossible([&] { edits::turn_alike(reel, ab, cut, 0, 1e9); }, "cannot be");
}

TEST_F(Many, NamesFollowAPattern) {
  const auto next = edits::rename_by_pattern(reel, ab, "{group} {number}, {name}").next;
  EXPECT_EQ(next.clips[0].name, "Ines 1, a");
  EXPECT_EQ(next.clips[1].name, "Ines 2, b");
  expect_impossible([&] { edits::rename_by_pattern(reel, ab, "{take}"); }, "{take} is no word");
  expect_impossible([&] { edits::rename_by_pattern(reel, ab, "{name"); }, "is no word");
  expect_impossible([&] { edits::rename_by_pattern(reel, ab, "  "); }, "needs a name");
  expect_impossible([&] { edits::rename_by_pattern(reel, ab, std::string(300, 'x')); }, "too long");
}

}  // namespace
}  // namespace drevan
