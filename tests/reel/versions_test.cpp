// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include "reel/library/version_files.h"
#include "support/reels.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

Reel three_clips(const TempFolder& t) {
  Reel reel = test::reel_of(t, {{"a", "Ines"}, {"b", "Ines"}, {"c", "Ines"}}, 1);
  reel.groups[0].chain.steps = {make_step("cut"), make_step("compressor")};
  reel.chain.steps = {make_step("limiter")};
  return reel;
}

TEST(SittingOut, OfAStepAndOfTheWholeGroup) {
  const TempFolder t;
  Reel reel = three_clips(t);
  sit_out_of_step(reel.groups[0].chain.steps[1], 2, true);
  sit_out_of_group(reel, 3, true);
  EXPECT_EQ(running_steps(reel, reel.clips[0]).size(), 3U);
  const auto second = running_steps(reel, reel.clips[1]);
  ASSERT_EQ(second.size(), 2U);
  EXPECT_EQ(second[0].step->type->id, "cut");
  EXPECT_EQ(running_steps(reel, reel.clips[2]).size(), 1U);
  EXPECT_EQ(sits_out_of(reel, reel.clips[1]), std::vector<std::string>{"Compressor"});
  EXPECT_EQ(sits_out_of(reel, reel.clips[2]), std::vector<std::string>{"the group's chain"});
  EXPECT_TRUE(sits_out_of(reel, reel.clips[0]).empty());
  // It lasts through a file, and through the step's moving.
  std::swap(reel.groups[0].chain.steps[0], reel.groups[0].chain.steps[1]);
  save_reel(reel, t / "x.reel");
  Reel back = load_reel(t / "x.reel");
  EXPECT_EQ(back.groups, reel.groups);
  EXPECT_EQ(running_steps(back, back.clips[1])[0].step->type->id, "cut");
  take_part(back, 2);
  EXPECT_EQ(running_steps(back, back.clips[1]).size(), 3U);
  // A clip that goes leaves no trace.
  const ClipId ids[] = {3};
  remove_clips(back, ids);
  EXPECT_TRUE(back.groups[0].sits_out.empty());
}

TEST(SittingOut, HasNoPlaceInARecipe) {
  const TempFolder t;
  Reel reel = three_clips(t);
  sit_out_of_step(reel.groups[0].chain.steps[0], 1, true);
  save_recipe({"x", "", reel.groups[0].chain, {}}, t / "x.recipe");
  EXPECT_TRUE(load_recipe(t / "x.recipe").chain.steps[0].sits_out.empty());
  EXPECT_THROW(
      recipe_from_text(R"({"drevan_recipe":1,"steps":[{"step":"gain","sits_out":[1]}]})", "x"),
      Error);
}

// What a print would leave: a file of its own in the versions folder.
Source printed(const TempFolder& t, const Clip& clip) {
  const auto file = version_file(t / "x.reel", clip);
  fs::create_directories(file.parent_path());
  AudioBuffer x = test::noise(0.05, 1.5, 9);
  test::write_wav(file, x);
  return examine_source(file);
}

TEST(Versions, AreATreeThatIsGoneBackInto) {
  const TempFolder t;
  Reel reel = three_clips(t);
  Clip& clip = reel.clips[0];
  clip.chain.steps = {make_step("gate")};
  clip.fade_in = {0.3, CurveShape::smooth};
  clip.fade_out = {0.4, CurveShape::line};
  const Clip as_it_came = clip;
  EXPECT_EQ(add_version(reel, 1, {.what = "printed", .made_with = clip.chain}, printed(t, clip)),
            1);
  EXPECT_TRUE(clip.chain.steps.empty());
  EXPECT_EQ(clip.frames, 72000);
  clip.chain.steps = {make_step("ride")};
  clip.fade_out = {0.1, CurveShape::line};
  EXPECT_EQ(add_version(reel, 1, {.what = "again"}, printed(t, clip)), 2);
  // Back to the first: what stood upon it is there again.
  go_to_version(clip, 1);
  EXPECT_EQ(clip.chain.steps[0].type->id, "ride");
  EXPECT_EQ(clip.fade_out.seconds, 0.1);
  go_to_version(clip, 0);
  EXPECT_EQ(clip.source, as_it_came.source);
  EXPECT_EQ(clip.frames, as_it_came.frames);
  EXPECT_EQ(clip.chain, as_it_came.chain);
  EXPECT_EQ(clip.fade_in, as_it_came.fade_in);
  EXPECT_EQ(clip.fade_out, as_it_came.fade_out);
  // Carrying on from there is a second branch.
  EXPECT_EQ(add_version(reel, 1, {.what = "other"}, printed(t, clip)), 3);
  EXPECT_EQ(find_version(clip, 3)->parent, 0);
  EXPECT_EQ(find_version(clip, 2)->parent, 1);
  // The chain comes out of a version, to be changed.
  take_out_chain(clip, 1);
  EXPECT_EQ(clip.version, 0);
  EXPECT_EQ(clip.chain.steps[0].type->id, "gate");
  save_reel(reel, t / "x.reel");
  EXPECT_TRUE(load_reel(t / "x.reel").clips == reel.clips);
}

TEST(Versions, UnusedOnesAreListedAndDropped) {
  const TempFolder t;
  Reel reel = three_clips(t);
  Clip& clip = reel.clips[0];
  for (int i = 0; i < 3; ++i) add_version(reel, 1, {.what = "printed"}, printed(t, clip));
  go_to_version(clip, 1);
  const auto unused = unused_versions(reel);
  ASSERT_EQ(unused.size(), 2U);
  EXPECT_EQ(unused[0].version, 2);
  EXPECT_EQ(unused[0].bytes, fs::file_size(reel.at(find_version(clip, 2)->source).path));
  drop_versions(reel, unused);
  EXPECT_EQ(clip.versions.size(), 2U);
  EXPECT_EQ(reel.sources.size(), 4U);
  EXPECT_EQ(reel.at(clip.source).path.filename(), "1 a, version 1.wav");
}

TEST(Versions, WrongTreesAreRefused) {
  const TempFolder t;
  Reel reel = three_clips(t);
  add_version(reel, 1, {.what = "printed"}, printed(t, reel.clips[0]));
  add_version(reel, 1, {.what = "printed"}, printed(t, reel.clips[0]));
  const auto text = reel_to_text(reel, t.path());
  const std::pair<std::string, std::string> changes[] = {{"\"parent\": 1", "\"parent\": 2"},
                                                         {"\"parent\": 0", "\"parent\": -1"},
                                                         {"\"version\": 2", "\"version\": 9"}};
  test::expect_refused(text, t.path(), changes);
}

}  // namespace
}  // namespace drevan
