// SPDX-License-Identifier: GPL-3.0-or-later
// Moments inside a clip bound to moments of the reel: where they are heard, by what was rendered.
#include "reel/edits/anchors.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "engine/rendering/render.h"
#include "reel/scene/made.h"
#include "reel/scene/scene_edits.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::StretchWay;

// A quiet hum with a knock at 0.5, 1.0 and 1.5 s of two.
class Anchors : public testing::Test {
 protected:
  Anchors() {
    AudioBuffer x = test::sine(220, 0.02, 2);
    for (const double s : knocks_s) {
      AudioBuffer knock = test::noise(0.4, 0.004, 7);
      test::add(x, knock, s);
    }
    test::write_wav(t / "knocks.wav", x);
    add_clip(reel, examine_source(t / "knocks.wav"), "Effects");
    reel.clips[0].place = ReelTime{10};
  }
  // When a knock is heard nearest to a moment: where short-term power rises most.
  double heard_near(double s) {
    RenderRequest request;
    request.plan = plan_of(reel, reel.clips[0]);
    request.output = t / "out.wav";
    render_clip(request, store, never);
    const AudioBuffer y = test::read_all(t / "out.wav");
    const auto x = y.channel(0);
    const auto power = [&](size_t at, size_t n) {
      double sum = 0;
      for (size_t i = at; i < at + n; ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
      return sum;
    };
    const auto part = static_cast<size_t>(0.005 * reel.rate);
    size_t best = 0;
    double most = -1;
    for (auto at = static_cast<size_t>((s - 0.15) * reel.rate);
         at < std::min(x.size() - 2 * part, static_cast<size_t>((s + 0.15) * reel.rate));
         at += part / 10) {
      const double rise = power(at, part) - power(at - part, part);
      if (rise > most) most = rise, best = at;
    }
    return static_cast<double>(best) / reel.rate;
  }
  static constexpr double knocks_s[] = {0.5, 1.0, 1.5};
  test::TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

TEST_F(Anchors, BoundMomentsAreHeardWhereTheyAreBoundAndTheRestStays) {
  for (const auto way : {StretchWay::pitch, StretchWay::tape}) {
    reel.clips[0].chain.steps.clear();
    reel = edits::bind(reel, 1, HeardTime{0.5}, way).next;
    reel = edits::bind(reel, 1, HeardTime{1.5}, way).next;
    ASSERT_EQ(anchors_of(reel, reel.clips[0]), (std::vector<Anchor>{{0.5, 0.5}, {1.5, 1.5}}));
    EXPECT_NEAR(heard_near(1.0), 1.0, 0.012) << "to bind moves nothing";
    reel = edits::move_anchor(reel, 1, 0, HeardTime{0.8}).next;
    reel = edits::move_anchor(reel, 1, 1, HeardTime{1.7}).next;
    const auto anchors = anchors_of(reel, reel.clips[0]);
    ASSERT_EQ(anchors.size(), 2U);
    EXPECT_NEAR(anchors[0].out.s, 0.8, 1e-9);
    EXPECT_NEAR(anchors[1].out.s, 1.7, 1e-9);
    // Within a third of a picture at 24 a second.
    EXPECT_NEAR(heard_near(0.8), 0.8, 0.014);
    EXPECT_NEAR(heard_near(1.25), 1.25, 0.014);
    EXPECT_NEAR(heard_near(1.7), 1.7, 0.014);
    EXPECT_EQ(test::read_all(t / "out.wav").frames(), 96000) << "its end stays";
  }
}

// The engine's own key frames were 0.17 s off here.
TEST_F(Anchors, CornersComeWhereTheyBelongAtEveryRate) {
  for (const double rate : {16000.0, 44100.0, 96000.0}) {
    reel.rate = rate;
    reel.clips[0].chain.steps.clear();
    reel = edits::bind(reel, 1, HeardTime{0.75}, StretchWay::pitch).next;
    reel = edits::move_anchor(reel, 1, 0, HeardTime{1.5}).next;
    EXPECT_NEAR(heard_near(1.0), 1.0, 0.018) << rate;
    EXPECT_NEAR(heard_near(1.6), 1.6, 0.018) << rate;
    EXPECT_NEAR(heard_near(1.8), 1.8, 0.018) << rate;
  }
}

TEST_F(Anchors, TheEndMovesAndTheWayChangesWhileTheyStay) {
  reel = edits::bind(reel, 1, HeardTime{1.0}, StretchWay::pitch).next;
  reel = edits::move_anchor(reel, 1, 0, HeardTime{1.25}).next;
  reel = edits::stretch_to(reel, 1, HeardSpan{3.0}, StretchWay::pitch).next;
  EXPECT_NEAR(anchors_of(reel, reel.clips[0])[0].out.s, 1.25, 1e-9);
  EXPECT_NEAR(heard_near(1.25), 1.25, 0.014);
  EXPECT_NEAR(static_cast<double>(test::read_all(t / "out.wav").frames()), 144000, 2);
  reel = edits::stretch_to(reel, 1, HeardSpan{3.0}, StretchWay::tape).next;
  EXPECT_EQ(edits::stretch_way(reel.clips[0]), StretchWay::tape);
  EXPECT_NEAR(heard_near(1.25), 1.25, 0.014);
  const edits::SoundingClip one[] = {{1, 3.0}};
  reel = edits::stretch_together(reel, one, 0.8).next;
  EXPECT_NEAR(anchors_of(reel, reel.clips[0])[0].out.s, 1.0, 1e-9);
  reel = edits::unbind(reel, 1, 0).next;
  EXPECT_TRUE(anchors_of(reel, reel.clips[0]).empty());
  EXPECT_NEAR(heard_near(1.2), 1.2, 0.014) << "even again: 1.0 of 2 becomes 1.2 of 2.4";
}

TEST_F(Anchors, GoWithTheEventTheyAreBoundTo) {
  reel = edits::add_event(reel, {11.0, "knock"}).next;
  reel = edits::bind(reel, 1, HeardTime{1.0}, StretchWay::pitch).next;
  auto moved = edits::follow_event(edits::move_event(reel, 1, {11.25}), {11.0}, {11.25});
  EXPECT_NEAR(anchors_of(moved.next, moved.next.clips[0])[0].out.s, 1.25, 1e-9);
  EXPECT_TRUE(moved.told.empty());
  // Another moment stays; so does one that cannot go so far, and that is told.
  moved = edits::follow_event(edits::move_event(reel, 1, {11.25}), {10.9}, {11.25});
  EXPECT_NEAR(anchors_of(moved.next, moved.next.clips[0])[0].out.s, 1.0, 1e-9);
  moved = edits::follow_event(edits::move_event(reel, 1, {30}), {11.0}, {30});
  EXPECT_NEAR(anchors_of(moved.next, moved.next.clips[0])[0].out.s, 1.0, 1e-9);
  EXPECT_NE(moved.told.find("knocks"), std::string::npos);
}

TEST_F(Anchors, WhatCannotBeBoundIsToldAndNothingChanges) {
  reel = edits::bind(reel, 1, HeardTime{1.0}, StretchWay::pitch).next;
  const Reel before = reel;
  for (const double s : {-0.1, 0.0, 1.0, 1.005, 2.0, 5.0})
    EXPECT_THROW(edits::bind(reel, 1, HeardTime{s}, StretchWay::pitch), Error) << s;
  EXPECT_THROW(edits::move_anchor(reel, 1, 0, HeardTime{0.05}), Error) << "0.05 s of a second";
  EXPECT_THROW(edits::move_anchor(reel, 1, 0, HeardTime{1.95}), Error);
  EXPECT_THROW(edits::move_anchor(reel, 1, 0, HeardTime{std::nan("")}), Error);
  EXPECT_THROW(edits::move_anchor(reel, 1, 1, HeardTime{1.5}), Error);
  EXPECT_THROW(edits::unbind(reel, mix_clip_id, 0), Error);
  EXPECT_EQ(reel, before);
  // Like tape a second can last a fourth of one at the least: four times as fast.
  reel = edits::stretch_to(reel, 1, HeardSpan{2}, StretchWay::tape).next;
  EXPECT_THROW(edits::move_anchor(reel, 1, 0, HeardTime{0.2}), Error);
  EXPECT_NO_THROW(edits::move_anchor(reel, 1, 0, HeardTime{0.26}));
  EXPECT_THROW(
      edits::stretch_to(edits::unbind(reel, 1, 0).next, 1, HeardSpan{0.4}, StretchWay::tape),
      Error);
  reel.clips[0].chain.steps.push_back(make_step("reverse"));
  EXPECT_THROW(edits::bind(reel, 1, HeardTime{0.5}, StretchWay::pitch), Error);
}

TEST_F(Anchors, GoWithACutAndIntoTheFile) {
  reel = edits::bind(reel, 1, HeardTime{1.0}, StretchWay::pitch).next;
  reel = edits::move_anchor(reel, 1, 0, HeardTime{1.5}).next;
  EXPECT_EQ(reel_from_text(reel_to_text(reel, t.path()), t.path(), "x"), reel);
  // A curve with ramps is no list of anchors.
  auto& step = reel.clips[0].chain.steps[0];
  step.curves[0].curve = std::make_shared<const Curve>(Curve{{{0, 100}, {1, 200}}});
  EXPECT_TRUE(anchors_of(reel, reel.clips[0]).empty());
  EXPECT_THROW(edits::bind(reel, 1, HeardTime{1.0}, StretchWay::pitch), Error);
}

// What is bound in a clip that was brought to a length is bound where it is heard.
TEST_F(Anchors, AreFoundInAClipThatWasBroughtToALength) {
  reel.clips[0].chain.steps = {test::with("stretch", {{"length_s", 4}})};
  reel = edits::bind(reel, 1, HeardTime{2}, edits::StretchWay::pitch).next;
  const auto bound = anchors_of(reel, reel.clips[0]);
  ASSERT_EQ(bound.size(), 1U);
  EXPECT_NEAR(bound[0].in.s, 1, 1e-9);
  EXPECT_NEAR(bound[0].out.s, 2, 1e-9);
  EXPECT_NEAR(whole_heard(times_of(reel, reel.clips[0])).length().s, 4, 1e-6);
  EXPECT_NEAR(heard_near(2), 2, 0.02);
}

}  // namespace
}  // namespace drevan
