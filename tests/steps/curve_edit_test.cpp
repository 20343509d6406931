// SPDX-License-Identifier: GPL-3.0-or-later
// Curves as they are drawn.
#include "steps/curve_edit.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "steps/catalogue.h"

namespace drevan {
namespace {

const Parameter& gain() { return find_step("gain")->parameters[0]; }

bool in_order(const Curve& c) {
  return std::ranges::adjacent_find(c.points, [](const CurvePoint& a, const CurvePoint& b) {
           return b.s <= a.s;
         }) == c.points.end();
}

TEST(CurveEdit, APointIsPutWhereItBelongsAndGoesOnAsTheOneBefore) {
  Curve c = with_point({}, gain(), 1, -3);
  c = with_point(c, gain(), 3, 0);
  c.points[0].shape = CurveShape::smooth;
  c = with_point(c, gain(), 2, -6);
  const Curve wanted{{{1, -3, CurveShape::smooth}, {2, -6, CurveShape::smooth}, {3, 0}}};
  EXPECT_EQ(c, wanted);
  // On another it takes its value.
  EXPECT_EQ(with_point(c, gain(), 2.0004, -9).points[1].value, -9);
  EXPECT_EQ(with_point(c, gain(), 2.0004, -9).points.size(), 3U);
}

TEST(CurveEdit, AMovedPointStaysBetweenItsNeighbours) {
  const Curve c{{{1, -3}, {2, -6}, {3, 0}}};
  std::mt19937 random(1);
  std::uniform_real_distribution<double> where(-5, 9);
  for (int i = 0; i < 200; ++i) {
    const Curve moved = with_moved_point(c, static_cast<size_t>(i % 3), where(random), -1);
    EXPECT_TRUE(in_order(moved));
    EXPECT_EQ(moved.points.size(), 3U);
  }
  EXPECT_EQ(with_moved_point(c, 0, -20, 0).points[0].s, -20);
}

TEST(CurveEdit, TheLastPointTakesTheCurveWithIt) {
  EXPECT_EQ(without_point({{{1, -3}, {2, 0}}}, 0), std::optional<Curve>({{{2, 0}}}));
  EXPECT_FALSE(without_point({{{1, -3}}}, 0));
}

TEST(CurveEdit, AllOfACurveIsRaisedAsOneWithinItsRange) {
  const Parameter& p = gain();
  const Curve up = raised({{{0, p.least}, {1, 0}, {2, p.most}}}, p, 0.1);
  EXPECT_NEAR(up.points[0].value, p.least + 0.1 * (p.most - p.least), 1e-9);
  EXPECT_NEAR(up.points[1].value, 0.1 * (p.most - p.least), 1e-9);
  EXPECT_EQ(up.points[2].value, p.most);
}

// What is left says the same to within the tolerance, and a straight hand leaves two points.
TEST(CurveEdit, ThinnedPointsKeepTheLineWithinTheTolerance) {
  const Parameter& p = gain();
  std::mt19937 random(2);
  std::uniform_real_distribution<double> shake(-0.3, 0.3);
  std::vector<CurvePoint> turned;
  for (int i = 0; i < 1200; ++i) {
    const double s = i / 60.0;
    turned.push_back({s, -12 + 9 * std::sin(2 * std::numbers::pi * s / 7) + shake(random)});
  }
  const Curve few{thinned(turned, p, 0.01)};
  EXPECT_LT(few.points.size(), 60U);
  EXPECT_TRUE(in_order(few));
  for (const auto& t : turned)
    EXPECT_LE(std::abs(to_fraction(p, t.value) - to_fraction(p, value_at(few, p, t.s))),
              0.01 + 1e-9);
  std::vector<CurvePoint> straight;
  for (int i = 0; i < 600; ++i) straight.push_back({i / 60.0, -30 + i / 60.0});
  EXPECT_EQ(thinned(straight, p).size(), 2U);
}

TEST(CurveEdit, WhatIsTurnedTakesThePlaceOfWhatWasThere) {
  const Curve c{{{0, -3}, {2, -6}, {4, 0}, {6, -1}}};
  const std::vector<CurvePoint> turned{{1, 1}, {3, 2}, {4, 3}};
  EXPECT_EQ(overwritten(&c, turned), (Curve{{{0, -3}, {1, 1}, {3, 2}, {4, 3}, {6, -1}}}));
  EXPECT_EQ(overwritten(nullptr, turned), (Curve{turned}));
  EXPECT_EQ(overwritten(&c, {}), c);
}

TEST(CurveEdit, SettingsStandWhereTheirCurvesAre) {
  const StepType& type = *find_step("compressor");
  const Settings s = standard_settings(type);
  const int threshold = parameter_index(type, "threshold_db");
  const auto at = static_cast<size_t>(threshold);
  const std::vector<Track> tracks{
      {threshold, std::make_shared<const Curve>(Curve{{{0, -40}, {2, -20}}})}};
  EXPECT_EQ(settings_at(s, tracks, type, 1)[at], -30);
  EXPECT_EQ(settings_at(s, tracks, type, 1)[at + 1], s[at + 1]);
  EXPECT_EQ(curve_of(tracks, threshold + 1), nullptr);
}

}  // namespace
}  // namespace drevan
