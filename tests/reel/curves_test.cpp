// SPDX-License-Identifier: GPL-3.0-or-later
// Curves in files and edits, and where they are heard.
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "audio/decibel.h"
#include "audio/error.h"
#include "engine/rendering/process.h"
#include "reel/edits/edits.h"
#include "reel/files/value_json.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;

std::shared_ptr<const Curve> curve(std::vector<CurvePoint> points) {
  return std::make_shared<const Curve>(Curve{std::move(points)});
}

TEST(Curves, GoFromPointToPointInTheParametersScale) {
  const Parameter& gain = find_step("gain")->parameters[0];
  const Curve c{
      {{1, -60, CurveShape::line}, {2, 0, CurveShape::smooth}, {4, -6, CurveShape::hold}, {5, 6}}};
  const std::pair<double, double> expected[] = {{-3, -60}, {1, -60},   {1.5, -30}, {2, 0}, {3, -3},
                                                {4, -6},   {4.99, -6}, {5, 6},     {9, 6}};
  for (const auto& [s, value] : expected) EXPECT_NEAR(value_at(c, gain, s), value, 1e-9) << s;
  // Smooth begins and ends level: 3 t^2 - 2 t^3.
  EXPECT_NEAR(value_at(c, gain, 2.5), -6 * (3 * 0.0625 - 2 * 0.015625), 1e-9);
  const Parameter& corner = find_step("cut")->parameters[0];
  EXPECT_NEAR(value_at({{{0, 100}, {1, 400}}}, corner, 0.5), 200, 1e-6);  // in octaves
  EXPECT_EQ(within(c, 2.5, 3).points.size(), 2U);
  EXPECT_EQ(within(c, 20, 30).points.size(), 1U);
}

TEST(Curves, LastThroughRecipesAndReels) {
  Recipe recipe{"Fade", "", {{test::with("gain", {}), test::with("cut", {})}}, {}};
  recipe.chain.steps[0].curves = {
      {on_parameter, curve({{0, 1, CurveShape::hold}, {3, 0, CurveShape::hold}})},
      {0, curve({{0, -60}, {1.5, 0, CurveShape::smooth}, {2, -6}})}};
  recipe.chain.steps[1].curves = {
      {0, curve({{0, find_step("cut")->parameters[0].least}, {1, 200}})},
      {1, curve({{0.5, 2, CurveShape::hold}})}};
  const auto text = to_json(recipe).dump();
  EXPECT_NE(text.find("\"drevan_recipe\":2"), std::string::npos);
  EXPECT_NE(text.find("[1.5,0,\"smooth\"]"), std::string::npos) << text;
  EXPECT_NE(text.find("[0.0,\"off\"]"), std::string::npos) << text;
  EXPECT_NE(text.find("\"on\":[[0.0,true],[3.0,false]]"), std::string::npos) << text;
  EXPECT_EQ(recipe_from_text(text, "x"), recipe);
  // Without curves an older program may read it.
  Recipe plain = recipe;
  for (auto& step : plain.chain.steps) step.curves.clear();
  EXPECT_NE(to_json(plain).dump().find("\"drevan_recipe\":1"), std::string::npos);
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "Ines"}}, 1);
  reel.groups[0].chain = recipe.chain;
  save_reel(reel, t / "x.reel");
  EXPECT_EQ(load_reel(t / "x.reel").groups[0].chain, recipe.chain);
}

TEST(Curves, WhatIsWrongIsNamed) {
  const std::pair<const char*, const char*> wrong[] = {
      {R"({"gain_db": [[0, 0], [0, 1]]})", "follow each other in time"},
      {R"({"gain_db": [[1, 0], [0.5, 1]]})", "follow each other in time"},
      {R"({"gain_db": [[0, 99]]})", "allowed is -60 to 36"},
      {R"({"gain_db": [[0, "NaN"]]})", "allowed is -60 to 36"},
      {R"({"gain_db": [[1e300, 0]]})", "its time is"},
      {R"({"gain_db": []})", "must be a list of points"},
      {R"({"gain_db": [[0]]})", "a point must be"},
      {R"({"gain_db": [[0, 0, "wavy"]]})", "is no shape"},
      {R"({"gain_db": 3})", "must be a list of points"},
      {R"({"volume": [[0, 0]]})", "there is no setting"},
      {R"({"on": [[0, 1]]})", "allowed are true and false"},
      {R"({"on": [[0, true, "line"]]})", "only \"hold\""},
      {R"([1])", "must be an object"}};
  for (const auto& [curves, why] : wrong) {
    try {
      recipe_from_text(
          std::string(R"({"drevan_recipe":2,"steps":[{"step":"gain","curves":)") + curves + "}]}",
          "x.recipe");
      ADD_FAILURE() << curves;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find(why), std::string::npos) << e.what();
      EXPECT_NE(std::string(e.what()).find("x.recipe, step 1 (gain), curves"), std::string::npos)
          << e.what();
    }
  }
  const char* still[] = {R"({"step":"stretch","curves":{"length_s":[[0,2]]}})",
                         R"({"step":"normalise","curves":{"measure":[[0,"sample_peak"]]}})",
                         R"({"step":"reverse","curves":{"on":[[0,true]]}})"};
  for (const auto* step : still)
    EXPECT_THROW(
        recipe_from_text(std::string(R"({"drevan_recipe":2,"steps":[)") + step + "]}", "x"), Error)
        << step;
  std::string many = R"({"drevan_recipe":2,"steps":[{"step":"gain","curves":{"gain_db":[)";
  for (size_t i = 0; i <= most_curve_points; ++i)
    many += (i ? ",[" : "[") + std::to_string(i) + ",0]";
  EXPECT_THROW(recipe_from_text(many + "]}}]}", "x"), Error);
}

class HeardCurves : public testing::Test {
 protected:
  void SetUp() override {
    AudioBuffer x(1, 96000);
    std::ranges::fill(x.channel(0), 0.5F);
    test::write_wav(t / "dc.wav", x);
    add_clip(reel, examine_source(t / "dc.wav"), "G");
    reel.clips[0].place = ReelTime{10};
  }
  // Level at a second of the clip, dB re its source.
  double at(double s) {
    const CancelToken never;
    FindingStore store;
    ProcessOptions o;
    o.store = &store;
    o.cancel = &never;
    std::vector<float> all;
    process_clip(plan_of(reel, reel.clips[0]), o, [&](const AudioBlock& b) {
      all.insert(all.end(), b.channel(0).begin(), b.channel(0).end());
    });
    return to_db(static_cast<double>(std::abs(all.at(static_cast<size_t>(s * 48000)))) / 0.5);
  }
  static ChainStep fade(double later) {
    ChainStep step = make_step("gain");
    step.curves = {{0, curve({{0 + later, -40}, {2 + later, 0}})}};
    return step;
  }
  TempFolder t;
  Reel reel;
};

// A clip's curves count from its beginning, its group's and the reel's from the reel's.
TEST_F(HeardCurves, CountSecondsOfTheirOwnChain) {
  for (const auto owner : {ChainOwner::clip, ChainOwner::group, ChainOwner::reel}) {
    change_chains(
        reel, [](const Chain&) { return true; }, [](Chain& chain) { chain.steps.clear(); });
    chain_of(reel, reel.clips[0], owner).steps = {fade(owner == ChainOwner::clip ? 0 : 10)};
    for (const double s : {0.0, 0.5, 1.0, 1.9}) EXPECT_NEAR(at(s), -40 + 20 * s, 0.3) << s;
  }
}

TEST_F(HeardCurves, MovedBetweenChainsTheySoundAsBefore) {
  reel.clips[0].chain.steps = {fade(0)};
  settle_step_ids(reel);
  const double before = at(1);
  const StepId id = reel.clips[0].chain.steps[0].id;
  reel = edits::move_step(reel, 1, id, {ChainOwner::group, 0}).next;
  EXPECT_NEAR(reel.groups[0].chain.steps[0].curves[0].curve->points[0].s, 10, 1e-12);
  EXPECT_EQ(at(1), before);
  reel = edits::move_step(reel, 1, id, {ChainOwner::clip, 0}).next;
  EXPECT_EQ(reel.clips[0].chain.steps[0].curves[0].curve->points[0].s, 0);
  EXPECT_EQ(at(1), before);
}

// A key changes only where the clip is touched.
TEST_F(HeardCurves, FarFromAClipTheyLeaveItsKeyAlone) {
  const auto key = [&] { return stage_keys(plan_of(reel, reel.clips[0])).back(); };
  ChainStep step = make_step("gain");
  step.curves = {{0, curve({{0, 0}, {9, -3}, {13, -6}, {50, 0}, {60, -9}})}};
  reel.chain.steps = {step};
  const auto before = key();
  reel.chain.steps[0].curves = {{0, curve({{0, 5}, {9, -3}, {13, -6}, {50, 0}, {60, 9}, {70, 1}})}};
  EXPECT_EQ(key(), before);
  reel.chain.steps[0].curves = {{0, curve({{0, 5}, {9, -3}, {13, -6.5}, {50, 0}})}};
  EXPECT_NE(key(), before);
}

TEST_F(HeardCurves, SwitchWithoutAClickAndPassWhatWasThere) {
  ChainStep step = test::with("gain", {{"gain_db", -20}});
  step.curves = {{on_parameter, curve({{0, 1, CurveShape::hold}, {1, 0, CurveShape::hold}})}};
  reel.clips[0].chain.steps = {step};
  EXPECT_NEAR(at(0.9), -20, 0.01);
  EXPECT_NEAR(at(1.1), 0, 0.001);
  EXPECT_GT(at(1.005), -20);
  EXPECT_LT(at(1.005), -1);
}

}  // namespace
}  // namespace drevan
