// SPDX-License-Identifier: GPL-3.0-or-later
// Paths that a source takes: drawn by hand, and at a pace that follows a curve.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "engine/rendering/chain_run.h"
#include "steps/places/acoustics_drawn.h"
#include "steps/places/acoustics_scene.h"
#include "steps/picture_spec.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using P = AcousticsParameter;
using at_48k::rate;
using testing::HasSubstr;

PlanView seen(const ChainStep& step) {
  return std::get<PlanSpec>(spec_of(step.type->picture)).view(step.settings, 0);
}

TEST(DrawnPath, TextsThatAreNoneAreTold) {
  EXPECT_EQ(DrawnPath::fault(""), "");
  EXPECT_EQ(DrawnPath::fault("0 0, 1.5 -2"), "");
  EXPECT_THAT(DrawnPath::fault("0 0, 1.5"), HasSubstr("two numbers"));
  EXPECT_THAT(DrawnPath::fault("0 0 0, 1 1"), HasSubstr("two numbers"));
  EXPECT_THAT(DrawnPath::fault("a b"), HasSubstr("two numbers"));
  EXPECT_THAT(DrawnPath::fault("0 0, 1e9 0"), HasSubstr("farther"));
  EXPECT_THAT(DrawnPath::fault("0 0, nan 0"), testing::Not(testing::IsEmpty()));
  std::string many = "0 0";
  for (int i = 0; i < 300; ++i) many += ", 1 1";
  EXPECT_THAT(DrawnPath::fault(many), HasSubstr("at most 200"));
  EXPECT_TRUE(DrawnPath("words").empty());
  EXPECT_TRUE(DrawnPath("1 1").empty());
  EXPECT_TRUE(DrawnPath("1 1, 1 1").empty());
  EXPECT_EQ(DrawnPath("").at(3).length(), 0);
}

TEST(DrawnPath, IsGoneToItsEndAndBackOrRound) {
  const DrawnPath line("0 0, 4 0");
  EXPECT_NEAR(line.length_m(), 4, 1e-6);
  for (const auto& [gone, x] : {std::pair{0.0, 0.0},
                                {1.0, 1.0},
                                {4.0, 4.0},
                                {5.0, 3.0},
                                {8.0, 0.0},
                                {-1.0, 1.0},
                                {803.0, 3.0}})
    EXPECT_NEAR(line.at(gone).x, x, 1e-6) << gone;
  const DrawnPath round("0 0, 2 0, 2 2, 0 2, 0.1 0.1");
  EXPECT_NEAR((round.at(round.length_m() + 1) - round.at(1)).length(), 0, 1e-9);
  EXPECT_NEAR((round.at(-1) - round.at(round.length_m() - 1)).length(), 0, 1e-9);
  // A metre along it is a metre, within what its corners are rounded by.
  double way = 0;
  for (double g = 0; g < 8; g += 0.01) way += (round.at(g + 0.01) - round.at(g)).length();
  EXPECT_NEAR(way, 8, 0.1);
}

TEST(DrawnPath, WhatLiesOnALineIsLeftOut) {
  std::vector<Place> points;
  for (int i = 0; i <= 100; ++i) points.push_back({i * 0.04, 0, 0});
  for (int i = 1; i <= 100; ++i) points.push_back({4, i * 0.02, 0});
  EXPECT_EQ(DrawnPath::text_of(points, 0.01), "0.00 0.00, 4.00 0.00, 4.00 2.00");
  // However much was drawn, it can be read again.
  std::vector<Place> wild;
  for (int i = 0; i < 5000; ++i) wild.push_back({std::sin(i * 0.7) * 5, std::cos(i * 0.9) * 5, 0});
  EXPECT_EQ(DrawnPath::fault(DrawnPath::text_of(wild, 1e-6)), "");
}

TEST(Paces, TheIntegralOfACurveIsTheSumOfItsValues) {
  const Curve curve{{{.s = 1, .value = 2, .shape = CurveShape::line},
                     {.s = 3, .value = -1, .shape = CurveShape::smooth},
                     {.s = 4, .value = 5, .shape = CurveShape::hold},
                     {.s = 6, .value = 1, .shape = CurveShape::line}}};
  const Parameter& pace = find_step("acoustics")->parameters[P::pace_m_s];
  double sum = 0, s = 0;
  for (; s < 8; s += 1e-4) {
    if (std::fmod(s + 1e-6, 0.5) < 1e-4) EXPECT_NEAR(integral_to(curve, s), sum, 2e-3) << s;
    sum += 1e-4 * value_at(curve, pace, s + 5e-5);
  }
  EXPECT_NEAR(integral_to(curve, -2), -4, 1e-9);
}

PlannedStep planned(const ChainStep& step, const Curve& pace) {
  PlannedStep out;
  out.type = step.type;
  out.settings = step.settings;
  out.tracks = {{P::pace_m_s, std::make_shared<const Curve>(pace)}};
  return out;
}

// A curve starts and stops a source, and a seek finds it where it would have come.
TEST(Paces, ACurveStartsAndStopsASourceWhereverOneBegins) {
  const ChainStep step = test::with(
      "acoustics", {{"path", static_cast<double>(SourcePath::ring)}, {"distance_m", 1.5}});
  const Curve curve{{{.s = 1, .value = 0, .shape = CurveShape::smooth},
                     {.s = 2, .value = 3, .shape = CurveShape::smooth},
                     {.s = 3, .value = 0, .shape = CurveShape::hold}}};
  const std::array<PlannedStep, 1> steps{planned(step, curve)};
  const std::array<Findings, 1> none{};
  ChainRun run(steps, none, {rate, 1, 4096});
  const auto where = [](ChainRun& of) {
    std::array<float, max_readings> r{};
    of.at(0).readings(r);
    return Place{static_cast<double>(r[0]), static_cast<double>(r[1]), static_cast<double>(r[2])};
  };
  AudioBuffer x(run.widest(), 4096);
  std::vector<Place> places;
  for (int i = 0; i < 50; ++i) {
    run.process(x.block());
    places.push_back(where(run));
  }
  EXPECT_LT((places[10] - places[0]).length(), 1e-6) << "stands before the curve starts it";
  EXPECT_GT((places[25] - places[10]).length(), 1);
  EXPECT_LT((places[49] - places[40]).length(), 1e-6) << "stands again";
  for (const int at : {0, 14, 23, 45}) {
    ChainRun other(steps, none, {rate, 1, 4096});
    other.reset(Samples{at} * 4096);
    other.process(x.block());
    EXPECT_LT((where(other) - places[static_cast<size_t>(at)]).length(), 1e-5) << at;
  }
}

// Whoever chooses to place a source otherwise wants it to stay where it stands.
TEST(Placing, AnotherWayOfPlacingLeavesTheSourceWhereItStands) {
  const StepType& type = *find_step("acoustics");
  Settings s = test::with("acoustics", {{"azimuth_deg", -50},
                                        {"elevation_deg", 10},
                                        {"distance_m", 1.4},
                                        {"path", static_cast<double>(SourcePath::ring)}})
                   .settings;
  const auto stands = [](Settings of) {
    of.values[P::path] = static_cast<int>(SourcePath::none);
    return source_at(of, room_scene(of), {}, 0);
  };
  const Place first = stands(s);
  for (const int placed : {placed_in_room, placed_by_direction}) {
    const Settings before = s;
    s.values[P::placed] = placed;
    type.takes_over(s, before, P::placed);
    EXPECT_LT((stands(s) - first).length(), 0.01);
    for (size_t i = 0; i < s.values.size(); ++i) EXPECT_TRUE(in_range(type.parameters[i], s[i]));
  }
  // Through the walls it does not go, nor does anything else turn.
  Settings out = s;
  out.values[P::distance_m] = 150;
  Settings next = out;
  next.values[P::placed] = placed_in_room;
  type.takes_over(next, out, P::placed);
  EXPECT_LT((stands(next) - stands(out)).length(), 0.01);
  Settings other = out;
  other.values[P::width_m] = 9;
  const Settings wanted = other;
  type.takes_over(other, out, P::width_m);
  EXPECT_EQ(other, wanted);
}

// Turned by hand it goes on from where it is.
TEST(Paces, ATurnedPaceGoesOnFromWhereItIs) {
  const ChainStep step = test::with(
      "acoustics", {{"path", static_cast<double>(SourcePath::ring)}, {"distance_m", 1.5}});
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
  AudioBuffer x(2, 4096);
  const auto where = [&] {
    std::array<float, max_readings> r{};
    p->readings(r);
    return Place{static_cast<double>(r[0]), static_cast<double>(r[1]), 0};
  };
  for (int i = 0; i < 40; ++i) p->process(x.block());
  const Place before = where();
  p->set(P::pace_m_s, -20);
  p->process(x.block(0, 256));
  EXPECT_LT((where() - before).length(), 0.2);
  p->set(P::pace_m_s, 0);
  for (int i = 0; i < 4; ++i) p->process(x.block());
  const Place stands = where();
  p->process(x.block());
  EXPECT_LT((where() - stands).length(), 1e-3);
}

TEST(Places, ASourceThatIsPlacedInTheRoomStaysThere) {
  ChainStep step =
      test::with("acoustics", {{"placed", placed_in_room}, {"x_m", 1}, {"y_m", 6}, {"z_m", 0.5}});
  for (const double stands : {20.0, 80.0}) {
    step.settings.values[P::stand_x_pct] = stands;
    const PlanView v = seen(step);
    EXPECT_NEAR(v.source.x, 1, 1e-6);
    EXPECT_NEAR(v.source.y, 6, 1e-6);
    EXPECT_NEAR(v.source.z, 0.5, 1e-6);
    EXPECT_FALSE(v.held_back);
  }
  step.settings.values[P::y_m] = 60;
  EXPECT_TRUE(seen(step).held_back);
  EXPECT_LT(seen(step).source.y, 7);
}

TEST(Places, OneSideOfAStereoSoundIsHeard) {
  AudioBuffer left(2, 24000);
  std::ranges::copy(test::noise(0.1, 0.5, 4).channel(0), left.channel(0).begin());
  const auto loud = [&](int sides) {
    AudioBuffer x = left;
    test::run_step(test::with("acoustics", {{"sides", sides}}), x);
    return test::rms(x.channel(0));
  };
  EXPECT_GT(loud(both_sides), 0.001);
  EXPECT_GT(loud(left_side_only), 0.001);
  EXPECT_EQ(loud(right_side_only), 0);
}

TEST(Places, AVehicleLiftsWhatIsDeep) {
  const auto gain_db = [](double hz, double low_end) {
    AudioBuffer x = test::sine(hz, 0.1, 2, rate, 2);
    test::run_step(test::with("acoustics", {{"width_m", 1.5},
                                            {"length_m", 2.6},
                                            {"height_m", 1.2},
                                            {"distance_m", 0.7},
                                            {"low_end_db", low_end}}),
                   x);
    return test::rms_db(x.channel(0).subspan(48000));
  };
  EXPECT_NEAR(gain_db(15, 6) - gain_db(15, 0), 6, 0.7);
  EXPECT_NEAR(gain_db(1000, 6) - gain_db(1000, 0), 0, 0.1);
}

// A source that is held and moved is heard where it is within 100 ms.
TEST(Places, AHeldSourceIsHeardWithin100Ms) {
  const ChainStep step =
      test::with("acoustics", {{"listener", 0}, {"distance_m", 1.5}, {"room_db", no_room_db}});
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
  AudioBuffer x(2, 48000);
  const auto run = [&](int frames) {
    const AudioBuffer noise = test::noise(0.1, 1, 3);
    std::ranges::copy(noise.channel(0), x.channel(0).begin());
    for (int at = 0; at < frames; at += 480) p->process(x.block(at, 480));
    // Right against left, over the last 20 ms.
    const auto end = static_cast<size_t>(frames);
    return test::rms_db(x.channel(1).subspan(end - 960, 960)) -
           test::rms_db(x.channel(0).subspan(end - 960, 960));
  };
  EXPECT_NEAR(run(24000), 0, 1.5);
  p->set(P::azimuth_deg, 90);
  const double soon = run(4800), later = run(24000);
  EXPECT_GT(later, 4) << "it is on the right";
  EXPECT_NEAR(soon, later, 1.5);
}

}  // namespace
}  // namespace drevan
