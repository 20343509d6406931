// SPDX-License-Identifier: GPL-3.0-or-later
// Takes of one line, without a window.
#include "reel/edits/takes.h"

#include <gtest/gtest.h>

#include "batch/mix.h"
#include "engine/planning/plan.h"
#include "reel/edits/cuts.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

class Takes : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Ines"}, {"d", "Ines"}}, 0.5);
    reel = edits::make_takes(reel, std::vector<ClipId>{2, 1, 3}).next;
  }
  test::TempFolder t;
  Reel reel;
};

TEST_F(Takes, OneIsChosenAndTheOthersAreLeftOut) {
  EXPECT_EQ(takes_of(reel, reel.clips[0]), (std::vector<ClipId>{1, 2, 3}));
  EXPECT_EQ(rendered_clips(reel), (std::vector<ClipId>{2, 4}));
  const Reel next = edits::choose_take(reel, 3).next;
  EXPECT_EQ(rendered_clips(next), (std::vector<ClipId>{3, 4}));
  EXPECT_TRUE(takes_of(next, next.clips[3]).empty());
  EXPECT_THROW(edits::choose_take(next, 4), Error);
  EXPECT_THROW(edits::make_takes(next, std::vector<ClipId>{4}), Error);
  EXPECT_EQ(rendered_clips(edits::part_takes(next, std::vector<ClipId>{1, 2, 3}).next).size(), 4U);
}

TEST_F(Takes, NoneIsLostWhenTheChosenOneGoes) {
  const Reel next = edits::remove_clips(reel, std::vector<ClipId>{2}).next;
  EXPECT_EQ(rendered_clips(next), (std::vector<ClipId>{1, 3, 4}));
}

// A copy of a take that is heard is a clip of its own: another choice does not silence it.
TEST_F(Takes, ADuplicateOfTheChosenOneStaysHeard) {
  const Reel two = edits::duplicate(reel, std::vector<ClipId>{2}).next;
  const ClipId copy = two.last_clip_id;
  EXPECT_EQ(takes_of(two, *two.find(ClipId{2})), (std::vector<ClipId>{1, 2, 3}));
  const auto heard = rendered_clips(edits::choose_take(two, 3).next);
  EXPECT_EQ(std::ranges::count(heard, copy), 1);
  EXPECT_EQ(std::ranges::count(heard, ClipId{2}), 0);
}

TEST_F(Takes, AreKeptInTheFile) {
  const Reel again = reel_from_text(reel_to_text(reel, "/"), "/", "x.reel");
  EXPECT_EQ(again, reel);
  EXPECT_EQ(rendered_clips(again), rendered_clips(reel));
  test::expect_refused(
      reel_to_text(reel, t.path()), t.path(),
      std::vector<std::pair<std::string, std::string>>{{"\"line\": 1", "\"line\": -1"},
                                                       {"\"chosen\": false", "\"chosen\": 7"}});
}

// Neither in the sum nor in what a group learns in common.
TEST_F(Takes, LeftOutMeansLeftOutEverywhere) {
  reel.groups[0].chain.steps = {test::with("normalise", {{"over", 1}})};
  settle_step_ids(reel);
  const auto keys = [&](const Reel& of) {
    return std::pair(sum_key(of), stage_keys(plan_of(of, of.clips[3])).back());
  };
  const auto before = keys(reel);
  Reel louder = reel;
  louder.clips[0].chain.steps = {test::with("gain", {{"gain_db", 12}})};
  settle_step_ids(louder);
  EXPECT_EQ(keys(louder), before);
  louder.clips[1].chain.steps = louder.clips[0].chain.steps;  // the chosen one
  settle_step_ids(louder);
  EXPECT_NE(keys(louder).first, before.first);
  EXPECT_NE(keys(louder).second, before.second);
}

}  // namespace
}  // namespace drevan
