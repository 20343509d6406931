// SPDX-License-Identifier: GPL-3.0-or-later
// Every edit as a function of a reel, without a window.
#include "reel/edits/edits.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <set>
#include <stdexcept>

#include "reel/history.h"
#include "steps/catalogue.h"
#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::expect_impossible;

using test::TempFolder;

class Edits : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Buoy"}}, 2);
    reel.clips[0].chain.steps = {make_step("cut"), make_step("gate"), make_step("gain")};
    reel.groups[0].chain.steps = {make_step("compressor")};
    settle_step_ids(reel);
    before = reel;
  }
  // Nothing is changed in place.
  void TearDown() override { EXPECT_EQ(reel, before); }

  StepId id(ChainOwner owner, int index) const {
    return chain_of(reel, reel.clips[0], owner).steps[static_cast<size_t>(index)].id;
  }
  static std::vector<std::string_view> steps(const Chain& chain) {
    std::vector<std::string_view> out;
    for (const auto& s : chain.steps) out.push_back(s.type->id);
    return out;
  }
  using Ids = std::vector<std::string_view>;

  TempFolder t;
  Reel reel, before;
};

TEST_F(Edits, ACurveIsSetChangedAndTakenAwayAsOneEditEach) {
  const StepId gain = id(ChainOwner::clip, 2);
  const Curve up{{{0, -60}, {1.5, 0, CurveShape::smooth}}};
  const auto set = edits::set_curve(reel, 1, gain, 0, up);
  EXPECT_EQ(set.label, "Gain: gain over time");
  const auto& step = set.next.clips[0].chain.steps[2];
  ASSERT_EQ(step.curves.size(), 1U);
  EXPECT_EQ(*step.curves[0].curve, up);
  EXPECT_EQ(step.settings, reel.clips[0].chain.steps[2].settings);
  // Points that are dragged are one edit; another step's curve is another.
  EXPECT_FALSE(set.merge.empty());
  EXPECT_EQ(
      edits::set_curve(set.next, 1, gain, on_parameter, Curve{{{1, 0, CurveShape::hold}}}).merge,
      set.merge);
  EXPECT_NE(edits::set_curve(reel, 1, id(ChainOwner::clip, 1), 0, Curve{{{0, -40}}}).merge,
            set.merge);
  EXPECT_EQ(edits::set_curve(set.next, 1, gain, 0, std::nullopt).next, reel);

  const auto refused = [&](Curve curve, const std::string& why) {
    expect_impossible([&] { edits::set_curve(reel, 1, gain, 0, std::move(curve)); }, why);
  };
  refused({}, "needs a point");
  refused({{{1, 0}, {1, -3}}}, "does not follow");
  refused({{{0, 500}}}, "out of range");
  refused({{{std::nan(""), 0}}}, "too far away");
  refused({{{0, std::nan("")}}}, "out of range");
  refused({std::vector<CurvePoint>(most_curve_points + 1)}, "allowed are");
  // The channels that leave are settled before the sound begins.
  auto wide = edits::add_step(reel, 1, {ChainOwner::clip, 0}, *find_step("speed"));
  expect_impossible(
      [&] {
        edits::set_curve(wide.next, 1, wide.step, on_parameter, Curve{{{0, 0, CurveShape::hold}}});
      },
      "cannot follow a curve");
}

TEST_F(Edits, AddStepPutsItInPlaceWithANewIdToBeLookedAt) {
  const auto edit = edits::add_step(reel, 1, {ChainOwner::clip, 1}, *find_step("de-ess"));
  EXPECT_EQ(steps(edit.next.clips[0].chain), (Ids{"cut", "de-ess", "gate", "gain"}));
  EXPECT_EQ(edit.label, "Add De-esser");
  EXPECT_EQ(edit.step, edit.next.clips[0].chain.steps[1].id);
  EXPECT_GT(edit.step, reel.last_step_id);
  // Beyond the end it is the last.
  EXPECT_EQ(steps(edits::add_step(reel, 1, {ChainOwner::reel, 9}, *find_step("gain")).next.chain),
            Ids{"gain"});
  EXPECT_EQ(steps(edits::add_step(reel, 3, {ChainOwner::group, 0}, *find_step("gain"))
                      .next.groups[1]
                      .chain),
            Ids{"gain"});
}

TEST_F(Edits, MoveStepWithinAndBetweenChains) {
  const auto at = [&](int index, StepPlace to) {
    return edits::move_step(reel, 1, id(ChainOwner::clip, index), to);
  };
  EXPECT_EQ(steps(at(0, {ChainOwner::clip, 2}).next.clips[0].chain), (Ids{"gate", "cut", "gain"}));
  EXPECT_EQ(steps(at(0, {ChainOwner::clip, 3}).next.clips[0].chain), (Ids{"gate", "gain", "cut"}));
  EXPECT_EQ(steps(at(2, {ChainOwner::clip, 0}).next.clips[0].chain), (Ids{"gain", "cut", "gate"}));
  EXPECT_EQ(at(1, {ChainOwner::clip, 1}).next, reel);
  const auto up = at(2, {ChainOwner::group, 0});
  EXPECT_EQ(steps(up.next.clips[0].chain), (Ids{"cut", "gate"}));
  EXPECT_EQ(steps(up.next.groups[0].chain), (Ids{"gain", "compressor"}));
  EXPECT_EQ(up.label, "Gain for the whole group");
  EXPECT_EQ(up.step, id(ChainOwner::clip, 2));
  EXPECT_EQ(up.next.groups[0].chain.steps[0].id, up.step);
  // Who sat out of the group's step has no place in another chain.
  const auto out = edits::sit_out(reel, 1, id(ChainOwner::group, 0), true).next;
  EXPECT_TRUE(edits::move_step(out, 1, id(ChainOwner::group, 0), {ChainOwner::clip, 0})
                  .next.clips[0]
                  .chain.steps[0]
                  .sits_out.empty());
}

TEST_F(Edits, RemoveSwitchAndSetGoById) {
  EXPECT_EQ(steps(edits::remove_step(reel, 1, id(ChainOwner::clip, 1)).next.clips[0].chain),
            (Ids{"cut", "gain"}));
  EXPECT_FALSE(edits::switch_step(reel, 1, id(ChainOwner::group, 0), false)
                   .next.groups[0]
                   .chain.steps[0]
                   .on);
  const auto set = test::with("gain", {{"gain_db", -3}}).settings;
  EXPECT_EQ(edits::set_settings(reel, 1, id(ChainOwner::clip, 2), set, "Quieter")
                .next.clips[0]
                .chain.steps[2]
                .settings,
            set);
  expect_impossible([&] { edits::remove_step(reel, 1, 999); }, "not there any more");
  expect_impossible([&] { edits::remove_step(reel, 3, id(ChainOwner::clip, 0)); },
                    "not there any more");
  expect_impossible([&] { edits::remove_step(reel, 77, id(ChainOwner::clip, 0)); },
                    "not in the reel any more");
}

TEST_F(Edits, TurnsOfOneStepAreOneUndoStepWhereverItMoves) {
  History h(reel);
  const auto apply = [&](const edits::Edit& edit) { h.edit(edit.next, edit.label, edit.merge); };
  const StepId gain = id(ChainOwner::clip, 2), gate = id(ChainOwner::clip, 1);
  for (const double v : {-1.0, -2.0, -3.0}) apply(edits::turn(h.now(), 1, gain, 0, v));
  EXPECT_EQ(h.labels().size(), 2U);
  EXPECT_EQ(h.undo_label(), "Gain: gain");
  apply(edits::turn(h.now(), 1, gate, 0, -50));
  EXPECT_EQ(h.labels().size(), 3U);
  h.undo();
  h.undo();
  EXPECT_EQ(h.now(), reel);
}

TEST_F(Edits, RecipesAndChainsGetIdsOfTheirOwn) {
  const Recipe recipe{"Two", "", {{make_step("ride"), make_step("limiter")}}, {}};
  EXPECT_EQ(steps(edits::use_recipe(reel, 1, ChainOwner::clip, recipe, true).next.clips[0].chain),
            (Ids{"cut", "gate", "gain", "ride", "limiter"}));
  EXPECT_EQ(
      steps(edits::use_recipe(reel, 1, ChainOwner::group, recipe, false).next.groups[0].chain),
      (Ids{"ride", "limiter"}));
  const ClipId to[] = {2, 3};
  const auto copied = edits::copy_chain(reel, 1, to);
  EXPECT_EQ(copied.label, "Copy chain to 2 clips");
  EXPECT_EQ(copied.next.clips[2].chain, reel.clips[0].chain);
  EXPECT_EQ(place_of(copied.next, copied.next.clips[0], id(ChainOwner::clip, 0)),
            (StepPlace{ChainOwner::clip, 0}));
  EXPECT_EQ(place_of(copied.next, copied.next.clips[1], id(ChainOwner::clip, 0)), std::nullopt);
}

TEST_F(Edits, SittingOut) {
  const auto out = edits::sit_out(reel, 2, id(ChainOwner::group, 0), true);
  EXPECT_EQ(out.label, "b sits out of Compressor");
  EXPECT_TRUE(running_steps(out.next, out.next.clips[1]).empty());
  expect_impossible([&] { edits::sit_out(reel, 1, id(ChainOwner::clip, 0), true); },
                    "its own steps");
  const auto all = edits::sit_out_of_group(out.next, 1, true);
  EXPECT_TRUE(sits_out_of_group(all.next, all.next.clips[0]));
  const ClipId both[] = {1, 2};
  EXPECT_EQ(edits::take_part(all.next, both).next, reel);
}

TEST_F(Edits, ClipsAndTheirRoomTone) {
  EXPECT_EQ(edits::rename_clip(reel, 1, "  stairs 7 ").next.clips[0].name, "stairs 7");
  expect_impossible([&] { edits::rename_clip(reel, 1, "  "); }, "needs a name");
  const auto marked = edits::set_room_tone(reel, 1, ClipRange{-1, 0.7});
  EXPECT_EQ(marked.next.clips[0].room_tone, (ClipRange{0, 0.7}));
  expect_impossible([&] { edits::set_room_tone(reel, 1, ClipRange{1, 1.2}); }, "too short");
  expect_impossible([&] { edits::share_room_tone(reel, 1, true); }, "mark it first");
  EXPECT_TRUE(
      lends_room_tone(edits::share_room_tone(marked.next, 1, true).next, marked.next.clips[0]));
  EXPECT_FALSE(edits::set_room_tone(marked.next, 1, std::nullopt).next.clips[0].room_tone);
  const ClipId ids[] = {1, 3};
  const auto less = edits::remove_clips(reel, ids);
  EXPECT_EQ(less.label, "Remove 2 clips");
  EXPECT_EQ(less.next.clips.size(), 1U);
  EXPECT_EQ(edits::set_target(reel, "podcast").next.target, "podcast");
}

TEST_F(Edits, WhatAClipsSoundDependsOn) {
  const auto same = [&](const edits::Edit& edit, ClipId clip) {
    return sounds_the_same(reel, edit.next, clip);
  };
  EXPECT_TRUE(same(edits::rename_clip(reel, 1, "x"), 1));
  EXPECT_FALSE(same(edits::remove_step(reel, 1, id(ChainOwner::clip, 0)), 1));
  EXPECT_TRUE(same(edits::remove_step(reel, 1, id(ChainOwner::clip, 0)), 2));
  EXPECT_FALSE(same(edits::remove_step(reel, 1, id(ChainOwner::group, 0)), 2));
  EXPECT_TRUE(same(edits::remove_step(reel, 1, id(ChainOwner::group, 0)), 3));
  EXPECT_FALSE(same(edits::add_step(reel, 1, {ChainOwner::reel, 0}, *find_step("gain")), 3));
  EXPECT_FALSE(same(edits::set_room_tone(reel, 2, ClipRange{0, 1}), 2));
}

// No edit lets a value in that the reel's file could not hold: every setting of every step, past both ends, between two
// choices, no number, and a setting that is not there.
TEST(Turn, OutOfRangeIsRefusedForEverySettingOfEveryStep) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"0", "Ines"}}, 1);
  for (const StepType* type : catalogue()) {
    reel.clips[0].chain = {{make_step(type->id)}};
    settle_step_ids(reel);
    const StepId id = std::as_const(reel).clips[0].chain.steps[0].id;
    const auto refused = [&](int parameter, double value) {
      try {
        edits::turn(reel, reel.clips[0].id, id, parameter, value);
      } catch (const Error& e) {
        EXPECT_EQ(e.kind(), Error::Kind::call);
        EXPECT_NE(std::string(e.what()).find(std::string(type->label)), std::string::npos);
        return true;
      } catch (const std::out_of_range&) {
        return true;
      }
      return false;
    };
    for (size_t i = 0; i < type->parameters.size(); ++i) {
      const Parameter& p = type->parameters[i];
      const double span = std::max(1.0, p.most - p.least);
      for (const double value :
           {p.least - 0.01 * span, p.most + 0.01 * span, p.least - 20 * span,
            std::numeric_limits<double>::quiet_NaN(), std::numeric_limits<double>::infinity()})
        EXPECT_TRUE(refused(static_cast<int>(i), value)) << type->id << " " << p.id << " " << value;
      if (!p.choices.empty()) EXPECT_TRUE(refused(static_cast<int>(i), p.least + 0.5)) << p.id;
      for (const double value : {p.least, p.most})
        EXPECT_FALSE(refused(static_cast<int>(i), value))
            << type->id << " " << p.id << " " << value;
    }
    EXPECT_TRUE(refused(static_cast<int>(type->parameters.size()), 0)) << type->id;
    EXPECT_TRUE(refused(-1, 0)) << type->id;
  }
}

// Code that names a setting which a step has not is told so, and does not read past the end.
TEST(Setting, OneThatIsNotThereIsAnErrorOfTheProgram) {
  ChainStep gain = make_step(Role::gain);
  setting(gain, "gain_db") = -3;
  EXPECT_EQ(setting(std::as_const(gain), "gain_db"), -3);
  EXPECT_THROW(setting(gain, "threshold_db"), std::logic_error);
  EXPECT_THROW(step_for(Role::none), std::logic_error);
  // Each role is one step's.
  std::set<Role> roles;
  for (const StepType* type : catalogue())
    if (type->traits.role != Role::none) {
      EXPECT_TRUE(roles.insert(type->traits.role).second) << type->id;
      EXPECT_EQ(&step_for(type->traits.role), type);
    }
  EXPECT_EQ(roles.size(), 12U);
}

}  // namespace
}  // namespace drevan
