// SPDX-License-Identifier: GPL-3.0-or-later
// A clip fitted to the picture, without a window.
#include "reel/scene/scene_curves.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "engine/rendering/process.h"
#include "steps/curve_edit.h"
#include "support/impossible.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::StretchWay;
using test::expect_impossible;
using test::TempFolder;

class SceneCurves : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"whoosh", "Effects"}, {"steps", "Effects"}}, 2);
    reel.clips[0].chain.steps = {test::with("cut", {})};
    settle_step_ids(reel);
  }
  const Clip& clip(const Reel& of) const { return of.clips[0]; }
  double seconds_of(const Reel& of) const {
    return stages_of(plan_of(of, clip(of)), {48000, 1, 96000}).back().shape.seconds();
  }
  TempFolder t;
  Reel reel;
};

TEST_F(SceneCurves, AClipBecomesAsLongAsItIsToldByEitherWay) {
  for (const auto way : {StretchWay::pitch, StretchWay::tape})
    for (const double to : {0.5, 3.25, 7.9}) {
      const auto edit = edits::stretch_to(reel, 1, HeardSpan{to}, way);
      EXPECT_NEAR(seconds_of(edit.next), to, 1e-4) << to;
      EXPECT_EQ(edits::stretch_way(clip(edit.next)), way);
      EXPECT_EQ(clip(edit.next).chain.steps.size(), 2U);
      EXPECT_EQ(clip(edit.next).chain.steps[1].type->id, "cut");
      // The other way round: the same length, one such step.
      const auto other = way == StretchWay::pitch ? StretchWay::tape : StretchWay::pitch;
      const auto turned = edits::stretch_to(edit.next, 1, HeardSpan{to}, other);
      EXPECT_EQ(clip(turned.next).chain.steps.size(), 2U);
      EXPECT_NEAR(seconds_of(turned.next), to, 1e-4);
      EXPECT_EQ(edits::take_out_stretch(turned.next, 1).next.clips, reel.clips);
    }
  expect_impossible([&] { edits::stretch_to(reel, 1, HeardSpan{8.1}, StretchWay::pitch); },
                    "0.20 to 8.00 s");
  expect_impossible([&] { edits::stretch_to(reel, 1, HeardSpan{0.1}, StretchWay::tape); },
                    "past that");
  expect_impossible([&] { edits::stretch_to(reel, 1, HeardSpan{std::nan("")}, StretchWay::tape); },
                    "past that");
  expect_impossible([&] { edits::stretch_to(reel, mix_clip_id, HeardSpan{3}, StretchWay::tape); },
                    "The mix");
}

TEST_F(SceneCurves, AGainIsDrawnBehindEverythingElseOfTheClip) {
  EXPECT_FALSE(edits::drawn_gain(clip(reel)));
  const Curve curve{{{0.5, -20, CurveShape::line}, {1.5, -6}}};
  const auto edit = edits::draw_gain(reel, 1, curve);
  ASSERT_EQ(clip(edit.next).chain.steps.size(), 2U);
  EXPECT_EQ(clip(edit.next).chain.steps[1].type->id, "gain");
  ASSERT_TRUE(edits::drawn_gain(clip(edit.next)));
  EXPECT_EQ(*clip(edit.next).chain.steps[1].curves[0].curve, curve);
  const auto still = edits::draw_gain(edit.next, 1, std::nullopt);
  EXPECT_TRUE(clip(still.next).chain.steps[1].curves.empty());
  EXPECT_THROW(edits::draw_gain(reel, 1, Curve{{{0.5, 99}}}), Error);
  EXPECT_THROW(edits::draw_gain(reel, 1, Curve{}), Error);
}

TEST_F(SceneCurves, APlaceIsHeldMomentByMoment) {
  EXPECT_DOUBLE_EQ(edits::place_at(clip(reel), 1), 0);
  Reel r = edits::hold_place(reel, 1, 0.5, 0.5, -1).next;
  r = edits::hold_place(r, 1, 1.5, 1.5, 1).next;
  EXPECT_DOUBLE_EQ(edits::place_at(clip(r), 0), -1);
  EXPECT_NEAR(edits::place_at(clip(r), 1), 0, 1e-9) << "smooth between";
  EXPECT_DOUBLE_EQ(edits::place_at(clip(r), 2), 1);
  EXPECT_EQ(clip(r).chain.steps.back().type->id, "pan");
  // A hand that goes along takes the place of what was drawn.
  double last = 0.9;
  for (double s = 0.95; s < 1.3; s += 0.04) {
    r = edits::hold_place(r, 1, last, s, 0.25).next;
    last = s;
  }
  EXPECT_NEAR(edits::place_at(clip(r), 1.1), 0.25, 1e-6);
  const auto& points = clip(r).chain.steps.back().curves[0].curve->points;
  for (size_t i = 1; i < points.size(); ++i) EXPECT_GT(points[i].s, points[i - 1].s);
  // A way that is known becomes as few points as it needs.
  std::vector<edits::HeldAt> way;
  for (int i = 0; i <= 48; ++i) way.push_back({i / 24.0, i < 24 ? -0.8 : -0.8 + (i - 24) / 15.0});
  const Reel along = edits::hold_along(reel, 1, way).next;
  for (const auto& at : way) EXPECT_NEAR(edits::place_at(clip(along), at.s), at.share, 0.011);
  EXPECT_LT(clip(along).chain.steps.back().curves[0].curve->points.size(), 8U);
  expect_impossible([&] { edits::hold_along(reel, 1, {}); }, "no way");
  // Where it stands in a room, its direction follows.
  Reel room = reel;
  room.clips[0].chain.steps.push_back(make_step("acoustics"));
  settle_step_ids(room);
  room = edits::hold_place(room, 1, 1, 1, 0.5).next;
  EXPECT_EQ(clip(room).chain.steps.size(), 2U);
  EXPECT_DOUBLE_EQ(edits::place_at(clip(room), 1), 0.5);
  const ChainStep& step = clip(room).chain.steps[1];
  EXPECT_DOUBLE_EQ(step.curves[0].curve->points[0].value, edits::picture_half_deg / 2);
}

}  // namespace
}  // namespace drevan
