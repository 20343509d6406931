// SPDX-License-Identifier: GPL-3.0-or-later
// Where clips are heard from, by whatever says so; held over time and for all of it.
#include "reel/scene/standing.h"

#include <gtest/gtest.h>

#include <cmath>

#include "reel/scene/sends.h"
#include "steps/curve_edit.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::Feeder;
using edits::Hold;

class Standings : public testing::Test {
 protected:
  Standings() {
    reel = test::reel_of(t, {{"voice", "Talk"}, {"other", "Talk"}}, 3);
    reel.clips[1].place = ReelTime{10};
    reel = edits::add_space(reel, "Room", {{test::with("acoustics", {{"distance_m", 3}})}}).next;
    room = reel.spaces[0].id();
  }
  Standing at(double s, ClipId clip = 1) { return standing_at(reel, *reel.find(clip), s); }
  void hold(const Hold& h, ClipId clip = 1) { reel = edits::hold_at(reel, clip, h).next; }
  test::TempFolder t;
  Reel reel;
  SpaceId room;
};

TEST_F(Standings, ByPanForAllOfItOrOverTime) {
  EXPECT_EQ(at(0).by, StandsBy::nothing);
  hold({0, 0, -22.5, 2.0, false});
  EXPECT_EQ(at(0).by, StandsBy::pan);
  EXPECT_NEAR(at(2).azimuth_deg, -22.5, 1e-9);
  EXPECT_FALSE(at(0).moves);
  EXPECT_NEAR(share_of(at(0)), -0.5, 1e-9);
  ASSERT_EQ(reel.clips[0].chain.steps.size(), 1U);
  hold({1, 1, 30, 2.0, true});
  EXPECT_TRUE(at(0).moves);
  EXPECT_NEAR(at(1).azimuth_deg, 30, 1e-9);
  // What moves goes on moving, also where it is held while nothing plays.
  hold({2, 2, -30, 2.0, false});
  EXPECT_NEAR(at(1).azimuth_deg, 30, 1e-9);
  EXPECT_NEAR(at(2).azimuth_deg, -30, 1e-9);
  EXPECT_EQ(reel.clips[0].chain.steps.size(), 1U);
}

TEST_F(Standings, ByItsOwnAcoustics) {
  reel.clips[0].chain.steps = {test::with("acoustics", {{"placed", 1}})};
  settle_step_ids(reel);
  hold({0, 0, 120, 5.0, false});
  EXPECT_EQ(at(0).by, StandsBy::acoustics);
  EXPECT_NEAR(at(0).azimuth_deg, 120, 1e-9);
  EXPECT_NEAR(at(0).distance_m, 5, 1e-9);
  hold({1, 1, 90, {}, true});
  EXPECT_NEAR(at(1).azimuth_deg, 90, 1e-9);
  EXPECT_NEAR(at(1).distance_m, 5, 1e-9) << "as far as it is";
}

TEST_F(Standings, ByASpaceForAGroupOrOneOfIt) {
  reel = edits::set_send(reel, GroupId{1}, room, -6).next;
  EXPECT_EQ(at(0).by, StandsBy::nothing) << "it is heard directly as well, in the middle";
  reel = edits::set_direct(reel, GroupId{1}, false).next;
  EXPECT_EQ(at(0).by, StandsBy::space);
  EXPECT_NEAR(at(0).distance_m, 3, 1e-9) << "where the step has its source";
  hold({0, 0, -40, 1.5, false});
  EXPECT_NEAR(at(0, 2).azimuth_deg, -40, 1e-9) << "all of the group";
  EXPECT_TRUE(reel.clips[0].sends.empty());
  hold({0, 0, 20, 1.5, false, true});
  EXPECT_NEAR(at(0).azimuth_deg, 20, 1e-9);
  EXPECT_NEAR(at(0, 2).azimuth_deg, -40, 1e-9) << "this clip alone";
  EXPECT_DOUBLE_EQ(reel.clips[0].sends.at(0).level_db, -6);
  // Over time it is the clip's own, in its own seconds.
  hold({0, 0, 0, 1.0, true}, 2);
  hold({2, 2, 60, 4.0, true}, 2);
  EXPECT_NEAR(at(2, 2).azimuth_deg, 60, 1e-9);
  EXPECT_NEAR(at(2, 2).distance_m, 4, 1e-9);
  EXPECT_GT(at(1, 2).azimuth_deg, 10);
  EXPECT_TRUE(reel.groups[0].sends[0].place->azimuth == std::nullopt);
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
}

TEST_F(Standings, FollowWhatIsSeenByASpaceAsWell) {
  reel = edits::set_send(reel, ClipId{1}, room, 0).next;
  reel = edits::set_direct(reel, ClipId{1}, false).next;
  std::vector<edits::HeldAt> way;
  for (int i = 0; i <= 72; ++i) way.push_back({i / 24.0, -0.8 + 1.6 * i / 72});
  reel = edits::follow_along(reel, 1, way).next;
  EXPECT_TRUE(reel.clips[0].chain.steps.empty()) << "no pan is needed";
  for (const auto& p : way) EXPECT_NEAR(share_of(at(p.s)), p.share, 0.02) << p.s;
  ASSERT_TRUE(way_of(reel, reel.clips[0]));
  EXPECT_LE(way_of(reel, reel.clips[0])->points.size(), 4U) << "a straight way needs few points";
}

TEST_F(Standings, CurvesGoWithACutAndTheGroupsCountTheReel) {
  reel = edits::draw_send(reel, GroupId{1}, room, Curve{{{10, -40}, {12, 0}}}).next;
  const auto sends = sends_of(reel, reel.clips[1]);
  ASSERT_EQ(sends.size(), 1U);
  EXPECT_DOUBLE_EQ(sends[0].level->points[0].s, 0) << "the clip begins at 10 s";
  EXPECT_THROW(edits::draw_send(reel, GroupId{1}, room, Curve{{{0, 3}}}), Error);
  EXPECT_THROW(edits::hold_at(reel, mix_clip_id, {}), Error);
  EXPECT_THROW(edits::hold_at(reel, 1, {0, 0, std::nan(""), {}, false}), Error);
}

}  // namespace
}  // namespace drevan
