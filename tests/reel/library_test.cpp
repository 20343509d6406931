// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/library.h"

#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "audio/error.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

Recipe voice(double threshold = -15) {
  return {"Ines near",
          "for the lamp room",
          {{test::with("compressor", {{"threshold_db", threshold}}), make_step("limiter")}},
          {"voice", "lamp room"}};
}

TEST(Library, OwnRecipesAreTwelveOrMoreAndReadBack) {
  const auto all = own_recipes();
  EXPECT_GE(all.size(), 12U);
  std::set<std::string> names;
  for (const auto& r : all) {
    EXPECT_TRUE(names.insert(r.name).second) << r.name;
    EXPECT_FALSE(r.note.empty() || r.tags.empty() || r.chain.steps.empty()) << r.name;
    EXPECT_TRUE(recipe_from_text(to_json(r).dump(), "x") == r) << r.name;
  }
}

TEST(Library, IsSearchedByNameNoteTagsAndSteps) {
  EXPECT_TRUE(matches(voice(), ""));
  EXPECT_TRUE(matches(voice(), "ines"));
  EXPECT_TRUE(matches(voice(), "LAMP"));
  EXPECT_TRUE(matches(voice(), "compress voice"));
  EXPECT_FALSE(matches(voice(), "compress phone"));
}

TEST(Library, OneBadFileHidesNoOther) {
  const TempFolder t;
  add_to_library(voice(), t.path());
  std::ofstream(t / "bad.recipe") << "{";
  std::vector<std::string> problems;
  const auto all = read_library(t.path(), &problems);
  EXPECT_EQ(all.size(), own_recipes().size() + 1);
  ASSERT_EQ(problems.size(), 1U);
  EXPECT_NE(problems[0].find("bad.recipe"), std::string::npos);
}

TEST(Library, OutAndInByZip) {
  const TempFolder t;
  const Recipe odd{"a/b: \"c\"", "n", voice().chain, {}};
  const std::vector<Recipe> out{voice(), odd};
  export_zip(out, t / "set.zip");
  const std::vector<fs::path> what{t / "set.zip"};
  const auto in = look_at_incoming(what, {});
  ASSERT_EQ(in.size(), 2U);
  for (const auto& i : in) {
    EXPECT_EQ(i.state, Incoming::State::fresh) << i.problem;
    take_in(i, Decision::replace, t / "library");
  }
  const auto all = read_library(t / "library");
  for (const auto& r : out)
    EXPECT_TRUE(std::ranges::any_of(all, [&](const LibraryEntry& e) { return e.recipe == r; }))
        << r.name;
  EXPECT_THROW(export_zip(out, t / "nowhere" / "set.zip"), Error);
  EXPECT_FALSE(fs::exists(t / "nowhere"));
}

TEST(Library, SaysWhatIsNewSameOrDifferent) {
  const TempFolder t;
  add_to_library(voice(), t / "library");
  const auto library = read_library(t / "library");
  Recipe harder = voice(-12);
  harder.chain.steps.push_back(make_step("gain"));
  add_to_library(voice(), t / "in" / "deep");
  add_to_library(harder, t / "in");
  std::ofstream(t / "in" / "z.recipe")
      << R"({"drevan_recipe":1,"name":"z","steps":[{"step":"warble"}]})";
  const std::vector<fs::path> what{t / "in"};
  const auto in = look_at_incoming(what, library);
  ASSERT_EQ(in.size(), 3U);
  std::map<Incoming::State, const Incoming*> by;
  for (const auto& i : in) by[i.state] = &i;
  ASSERT_EQ(by.size(), 3U);
  const auto& differs = *by.at(Incoming::State::differs);
  EXPECT_EQ(
      differs.differences,
      (std::vector<std::string>{"Compressor: threshold -15.0 dB, now -12.0 dB", "Gain is new"}));
  EXPECT_NE(by.at(Incoming::State::unreadable)->problem.find("warble"), std::string::npos);
  // Each decision.
  EXPECT_TRUE(take_in(differs, Decision::skip, t / "library").empty());
  take_in(differs, Decision::keep_both, t / "library");
  auto now = read_library(t / "library");
  EXPECT_TRUE(std::ranges::any_of(
      now, [](const LibraryEntry& e) { return e.recipe.name == "Ines near (2)"; }));
  take_in(differs, Decision::replace, t / "library");
  now = read_library(t / "library");
  EXPECT_TRUE(std::ranges::any_of(now, [&](const LibraryEntry& e) { return e.recipe == harder; }));
  EXPECT_FALSE(std::ranges::any_of(now, [](const LibraryEntry& e) { return e.recipe == voice(); }));
}

TEST(Library, ABrokenZipIsToldAndNothingComesOfIt) {
  const TempFolder t;
  std::ofstream(t / "x.zip") << "PK\x03\x04 not a zip";
  const std::vector<fs::path> what{t / "x.zip", t / "missing.recipe"};
  const auto in = look_at_incoming(what, {});
  ASSERT_EQ(in.size(), 2U);
  for (const auto& i : in) EXPECT_EQ(i.state, Incoming::State::unreadable);
  EXPECT_NE(in[0].problem.find("x.zip"), std::string::npos);
}

// Each thing in which two recipes can differ is told by itself.
TEST(RecipeDifferences, EachIsTold) {
  Recipe then{"Voice", "near", {{make_step("gain"), make_step("limiter")}}, {"dry"}};
  EXPECT_TRUE(recipe_differences(then, then).empty());
  const auto told_of = [&](auto change) {
    Recipe now = then;
    change(now);
    const auto all = recipe_differences(then, now);
    return all.size() == 1 ? all[0] : std::to_string(all.size()) + " are told";
  };
  EXPECT_EQ(told_of([](Recipe& r) { r.tags = {"wet"}; }), "The tags are others");
  EXPECT_EQ(told_of([](Recipe& r) { r.tags.clear(); }), "The tags are others");
  EXPECT_EQ(told_of([](Recipe& r) { r.note = "far"; }), "The note reads otherwise");
  EXPECT_EQ(told_of([](Recipe& r) { std::swap(r.chain.steps[0], r.chain.steps[1]); }),
            "The steps stand in another order");
  EXPECT_EQ(told_of([](Recipe& r) { r.chain.steps.pop_back(); }).substr(0, 7), "Limiter");
}

}  // namespace
}  // namespace drevan
