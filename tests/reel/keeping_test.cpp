// SPDX-License-Identifier: GPL-3.0-or-later
// Nothing of a reel is lost: found sources that are shorter, versions that several reels have, recipes of one
// name, files of strange shape.
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <fstream>
#include <thread>

#include "audio/hash.h"
#include "reel/history.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "reel/library/library.h"
#include "reel/library/lock.h"
#include "reel/files/reel_file.h"
#include "reel/library/version_files.h"
#include "support/extent.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// A reel whose first clip stands on a printed file in the folder of `reel_file`.
Reel printed_reel(const TempFolder& t, const fs::path& reel_file, double seconds = 2) {
  Reel reel = test::reel_of(t, {{"voice", "Voices"}}, seconds);
  make_folder(versions_folder(reel_file));
  const auto file = version_file(reel_file, reel.clips[0]);
  AudioBuffer x = test::noise(0.1, seconds, 8);
  test::write_wav(file, x);
  add_version(reel, 1, {.what = "printed"}, examine_source(file));
  return reel;
}

TEST(FindTheSource, AShorterFileShortensVersionsToo) {
  const TempFolder t;
  Reel reel = printed_reel(t, t / "r.reel");
  AudioBuffer shorter = test::noise(0.1, 1.25, 3);
  test::write_wav(t / "shorter.wav", shorter);
  reel.name = "r";
  relink(reel, reel.clips[0].versions[0].source, t / "shorter.wav");
  save_reel(reel, t / "r.reel");
  const Reel again = load_reel(t / "r.reel");
  EXPECT_EQ(again, reel);
  EXPECT_EQ(again.clips[0].versions[0].frames, 60000);
}

TEST(FindTheSource, AFileThatEndsBeforeTheClipIsRefusedAndNothingChanges) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"voice", "Voices"}}, 2);
  reel.clips[0].begin = 80000;
  reel.clips[0].frames = 16000;
  const Reel before = reel;
  AudioBuffer shorter = test::noise(0.1, 1, 3);
  test::write_wav(t / "shorter.wav", shorter);
  EXPECT_THROW(relink(reel, 1, t / "shorter.wav"), Error);
  EXPECT_EQ(reel, before);
}

TEST(FindTheSource, AnotherRateKeepsTheTimes) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"voice", "Voices"}}, 2);
  reel.clips[0].begin = 24000;
  reel.clips[0].frames = 48000;
  reel.clips[0].room_tone = ClipRange{0.2, 0.9};
  AudioBuffer other = test::noise(0.1, 2, 3, 44100);
  test::write_wav(t / "other.wav", other, 44100);
  relink(reel, 1, t / "other.wav");
  EXPECT_EQ(reel.clips[0].begin, 22050);
  EXPECT_EQ(reel.clips[0].frames, 44100);
  EXPECT_TRUE(reel.clips[0].room_tone);
}

TEST(SaveReel, WhatCouldNotBeOpenedAgainIsNotWritten) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"voice", "Voices"}}, 1);
  save_reel(reel, t / "r.reel");
  const auto good = read_text(t / "r.reel");
  reel.clips[0].frames = 1 << 30;
  EXPECT_THROW(save_reel(reel, t / "r.reel"), Error);
  EXPECT_EQ(read_text(t / "r.reel"), good);
}

TEST(VersionFiles, AReelUnderAnotherNameGetsItsOwn) {
  const TempFolder t;
  Reel first = printed_reel(t, t / "a.reel");
  const auto printed = first.sources[1].path;
  save_reel(first, t / "a.reel");
  Reel second = first;
  const auto moved = own_version_files(second, t / "b.reel");
  ASSERT_EQ(moved.size(), 1U);
  move_sources(second, moved);
  save_reel(second, t / "b.reel");
  EXPECT_EQ(second.sources[1].path.parent_path(), fs::absolute(versions_folder(t / "b.reel")));
  EXPECT_TRUE(fs::exists(printed));
  // Clearing in the one leaves the other whole.
  go_to_version(first.clips[0], 0);
  drop_versions(first, unused_versions(first));
  save_reel(first, t / "a.reel");
  const std::vector<fs::path> cleared{printed};
  EXPECT_EQ(delete_version_files(cleared, t / "a.reel"), 1);
  EXPECT_FALSE(fs::exists(printed));
  const Reel still = load_reel(t / "b.reel");
  EXPECT_EQ(check_source(still.sources[1], true), SourceState::fine);
}

// Reels that an older Drevan saved share files: whoever lies beside is asked.
TEST(VersionFiles, ClearingLooksAtTheReelsBeside) {
  const TempFolder t;
  Reel first = printed_reel(t, t / "a.reel");
  const std::vector<fs::path> printed{first.sources[1].path};
  save_reel(first, t / "b.reel");  // refers to a's file
  go_to_version(first.clips[0], 0);
  drop_versions(first, unused_versions(first));
  save_reel(first, t / "a.reel");
  EXPECT_EQ(delete_version_files(printed, t / "a.reel"), 0);
  EXPECT_TRUE(fs::exists(printed[0]));
  fs::remove(t / "b.reel");
  std::ofstream(t / "unreadable.reel") << "{";
  EXPECT_EQ(delete_version_files(printed, t / "a.reel"), 0);  // nothing on a doubt
  fs::remove(t / "unreadable.reel");
  EXPECT_EQ(delete_version_files(printed, t / "a.reel"), 1);
}

TEST(VersionFiles, ACopyIsMadeWhereNoLinkCanBe) {
  const TempFolder t;
  const fs::path shm = "/dev/shm/drevan-versions-test";
  if (!fs::is_directory("/dev/shm")) GTEST_SKIP() << "one file system only";
  Reel first = printed_reel(t, t / "a.reel");
  make_folder(shm);
  const auto moved = own_version_files(first, shm / "b.reel");
  ASSERT_EQ(moved.size(), 1U);
  EXPECT_EQ(hash_file(moved.begin()->first), hash_file(moved.begin()->second));
  fs::remove_all(shm);
}

TEST(VersionFiles, NamesAreWholeCharacters) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"voice", "Voices"}}, 1);
  std::string snow;
  for (int i = 0; i < 90; ++i) snow += "☃";
  reel.clips[0].name = "a" + snow;
  const auto file = version_file(t / "r.reel", reel.clips[0]);
  make_folder(file.parent_path());
  AudioBuffer x = test::noise(0.1, 1, 8);
  test::write_wav(file, x);
  add_version(reel, 1, {.what = "printed"}, examine_source(file));
  save_reel(reel, t / "r.reel");
  const Reel again = load_reel(t / "r.reel");
  EXPECT_EQ(check_source(again.sources[1], true), SourceState::fine);
  EXPECT_NE(version_file(t / "r.reel", reel.clips[0], {file}), file);
}

Recipe named(const std::string& name, double db) {
  return {name, "", {{test::with("gain", {{"gain_db", db}})}}, {}};
}

TEST(Recipes, NothingIsReplacedUnasked) {
  const TempFolder t;
  // One of a newer Drevan, which this one cannot read.
  std::ofstream(t / "Mine.recipe") << R"({"drevan_recipe": 99, "name": "Mine", "steps": []})";
  const auto kept = add_to_library(named("Mine", -1), t.path());
  EXPECT_NE(kept, t / "Mine.recipe");
  EXPECT_NE(read_text(t / "Mine.recipe").find("99"), std::string::npos);
  // Two names that would be one file name.
  const auto a = add_to_library(named("A/B", -2), t.path()),
             b = add_to_library(named("A:B", -3), t.path());
  EXPECT_NE(a, b);
  EXPECT_EQ(load_recipe(a).chain, named("A/B", -2).chain);
  EXPECT_EQ(load_recipe(b).chain, named("A:B", -3).chain);
}

TEST(Recipes, TwoOfOneNameInOneImportAreBothThere) {
  const TempFolder t;
  make_folder(t / "in" / fs::path("deep"));
  save_recipe(named("Same", -1), t / "in" / "one.recipe");
  save_recipe(named("Same", -2), t / "in" / "deep" / "two.recipe");
  for (const auto decision : {Decision::replace, Decision::keep_both}) {
    const auto library = t / ("library" + std::to_string(static_cast<int>(decision)));
    const std::vector<fs::path> what{t / "in"};
    std::vector<std::pair<Incoming, Decision>> all;
    for (const auto& in : look_at_incoming(what, read_library(library)))
      all.emplace_back(in, decision);
    std::vector<std::string> problems;
    EXPECT_EQ(take_in(all, library, problems), 2);
    EXPECT_TRUE(problems.empty());
    std::set<double> seen;
    for (const auto& e : read_library(library))
      if (!e.own()) seen.insert(e.recipe.chain.steps[0].settings[0]);
    EXPECT_EQ(seen, (std::set<double>{-2, -1}));
    // And where one was there already, asked to be replaced by both: the first does, the second stands beside.
    all.clear();
    for (const auto& in : look_at_incoming(what, read_library(library)))
      all.emplace_back(in, Decision::replace);
    take_in(all, library, problems);
    seen.clear();
    for (const auto& e : read_library(library))
      if (!e.own()) seen.insert(e.recipe.chain.steps[0].settings[0]);
    EXPECT_EQ(seen, (std::set<double>{-2, -1}));
  }
}

TEST(Recipes, LongNamesGoIntoAZip) {
  const TempFolder t;
  std::string snow;
  for (int i = 0; i < 60; ++i) snow += "☃";
  const std::vector<Recipe> two{named("x" + snow, -1), named("x" + snow + "y", -2)};
  export_zip(two, t / "out.zip");
  const std::vector<fs::path> what{t / "out.zip"};
  const auto in = look_at_incoming(what, {});
  ASSERT_EQ(in.size(), 2U);
  EXPECT_EQ(in[0].recipe.name, two[0].name);
  EXPECT_EQ(in[1].recipe.name, two[1].name);
  EXPECT_TRUE(test::left_over(t.path()).empty());
}

TEST(Recipes, TheSameRecipesAreTheSameZip) {
  const TempFolder t;
  const std::vector<Recipe> two{named("A", -1), named("B", -2)};
  export_zip(two, t / "one.zip");
  std::this_thread::sleep_for(std::chrono::milliseconds(2100));  // a zip counts by two seconds
  export_zip(two, t / "two.zip");
  EXPECT_EQ(test::bytes(t / "one.zip"), test::bytes(t / "two.zip"));
}

TEST(Recipes, ZipBombsAreTold) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const TempFolder t;
  const auto make = [&](const std::string& script) {
    const auto r = test::run("cd '" + t.path().string() + "' && python3 -c \"" + script + "\"");
    ASSERT_EQ(r.code, 0) << r.out;
  };
  make(
      "import "
      "zipfile\nz=zipfile.ZipFile('large.zip','w',zipfile.ZIP_DEFLATED)\nz.writestr('a.recipe',b' "
      "'*300000000)\nz.close()");
  make(
      "import zipfile\nz=zipfile.ZipFile('many.zip','w',zipfile.ZIP_DEFLATED)\nfor i in "
      "range(3000): z.writestr('%d.recipe'%i,'{}')\nz.close()");
  make(
      "import zipfile\nz=zipfile.ZipFile('sum.zip','w',zipfile.ZIP_DEFLATED)\nfor i in range(60): "
      "z.writestr('%d.recipe'%i,b' '*900000)\nz.close()");
  const auto from = std::chrono::steady_clock::now();
  for (const auto& [name, told] : {std::pair("large.zip", "a recipe has at most 1 MB"),
                                   std::pair("many.zip", "holds 3000 entries"),
                                   std::pair("sum.zip", "unpacks to more than 20 MB")}) {
    const std::vector<fs::path> what{t / name};
    const auto in = look_at_incoming(what, {});
    EXPECT_TRUE(std::ranges::any_of(in, [part = std::string(told)](const Incoming& i) {
      return i.problem.find(part) != std::string::npos;
    })) << name;
    EXPECT_LE(in.size(), 1001U);
  }
  EXPECT_LT(std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count(), 20);
  CancelToken cancel;
  cancel.cancel();
  const std::vector<fs::path> what{t / "many.zip"};
  EXPECT_THROW(look_at_incoming(what, {}, &cancel), Cancelled);
}

TEST(StrictReading, UnknownMembersAreNamed) {
  const TempFolder t;
  Reel reel = printed_reel(t, t / "r.reel");
  save_reel(reel, t / "r.reel");
  auto good = nlohmann::json::parse(read_text(t / "r.reel"));
  for (const char* place : {"", "/sources/0", "/groups/0", "/clips/0", "/clips/0/versions/1"}) {
    auto bad = good;
    bad[nlohmann::json::json_pointer(place)]["colour"] = 3;
    try {
      reel_from_text(bad.dump(), t.path(), "r.reel");
      ADD_FAILURE() << place;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("\"colour\" does not belong here"), std::string::npos)
          << e.what();
    }
  }
}

TEST(StrictReading, NestedWithoutEndIsTold) {
  const std::string deep(200000, '[');
  std::string objects;
  for (int i = 0; i < 200000; ++i) objects += "{\"a\":";
  for (const auto& text : {deep, objects}) {
    for (const auto& [before, after] :
         {std::pair<std::string, std::string>{"", ""},
          {R"({"drevan_recipe":1,"name":)", "}"},
          {R"({"drevan_recipe":1,"steps":[{"step":"gain","settings":{"gain_db":)", "}}]}"}}) {
      EXPECT_THROW(recipe_from_text(before + text + after, "x"), Error);
      EXPECT_THROW(reel_from_text(before + text + after, "/", "x"), Error);
    }
  }
  // A value of the wrong kind is shown in the message, but not all of it.
  try {
    recipe_from_text(R"({"drevan_recipe":1,"steps":[{"step":"gain","settings":{"gain_db":")" +
                         std::string(1000000, 'x') + "\"}}]}",
                     "x");
    ADD_FAILURE();
  } catch (const Error& e) {
    EXPECT_LT(std::string(e.what()).size(), 400U);
  }
}

TEST(ClipIds, NeverComeAgain) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "A"}, {"b", "A"}}, 0.3);
  const ClipId gone[] = {2};
  remove_clips(reel, gone);
  EXPECT_EQ(add_clip(reel, examine_source(t / "b.wav"), "A"), ClipId{3});
  const ClipId also[] = {3};
  remove_clips(reel, also);
  save_reel(reel, t / "r.reel");
  Reel again = load_reel(t / "r.reel");
  EXPECT_EQ(add_clip(again, examine_source(t / "b.wav"), "A"), ClipId{4});
}

// Found by the fuzzer of edits: what was saved was not what was opened.
TEST(RemoveClips, AClipThatIsGoneLendsNoRoomTone) {
  const TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "A"}, {"b", "A"}}, 1);
  reel.name = "r";
  reel.clips[0].room_tone = ClipRange{0.1, 0.8};
  reel.groups[0].room_tone_clip = 1;
  const ClipId gone[] = {1};
  remove_clips(reel, gone);
  save_reel(reel, t / "r.reel");
  EXPECT_EQ(load_reel(t / "r.reel"), reel);
}

TEST(History, UndoEndsAMerge) {
  Reel reel;
  History history(reel);
  const auto drag = [&](int to) {
    Reel next = history.now();
    next.name = std::to_string(to);
    history.edit(next, "Drag", "drag");
  };
  drag(1);
  drag(2);
  history.undo();
  history.redo();
  drag(3);
  EXPECT_EQ(history.entries().size(), 3U);
  history.undo();
  EXPECT_EQ(history.now().name, "2");
  // Undone to the end of a drag, the next one is a drag of its own.
  history = History(reel);
  drag(1);
  Reel other = history.now();
  other.name = "other";
  history.edit(other, "Rename");
  history.undo();
  drag(2);
  history.undo();
  EXPECT_EQ(history.now().name, "1");
}

// The reel that is open, opened again: as it was saved, still one's own, and edits are kept as before.
TEST(ReelFile, TheReelThatIsOpenIsOpenedAgainAndStaysOnesOwn) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"0", "Ines"}}, 1);
  save_reel(reel, t / "harbour.reel");
  ReelFile file(t / "unsaved");
  file.take(file.open(t / "harbour.reel"));
  for (int round = 0; round < 2; ++round) {
    auto again = file.open(t / "harbour.reel");
    EXPECT_TRUE(again.again);
    EXPECT_TRUE(again.read_only.empty()) << again.read_only;
    file.take(std::move(again));
    History history(load_reel(t / "harbour.reel"));
    Reel next = history.now();
    next.name = "Renamed " + std::to_string(round);
    history.edit(std::move(next), "Rename");
    EXPECT_TRUE(file.tell(history, "Rename").empty());
    file.flush();
    EXPECT_TRUE(file.take_problem().empty());
    const auto found = recover(t / "harbour.reel");
    ASSERT_TRUE(found);
    EXPECT_EQ(found->reel.name, "Renamed " + std::to_string(round));
  }
  // Somebody else finds it taken.
  ReelFile other(t / "unsaved");
  EXPECT_FALSE(other.open(t / "harbour.reel").read_only.empty());
}

TEST(ReelFile, PathsAreWrittenRelative) {
  const TempFolder t;
  make_folder(t / "sounds");
  Reel reel = test::reel_of(t, {{"a", "A"}}, 0.3);
  fs::rename(t / "a.wav", t / "sounds" / fs::path("a.wav"));
  reel.sources[0].path = t / "sounds" / fs::path("a.wav");
  const auto j = nlohmann::json::parse(reel_to_text(reel, t.path()));
  EXPECT_EQ(j["sources"][0]["path"], "sounds/a.wav");
  EXPECT_EQ(nlohmann::json::parse(reel_to_text(reel, t / "sounds"))["sources"][0]["path"], "a.wav");
  EXPECT_EQ(nlohmann::json::parse(reel_to_text(reel, t / "reels"))["sources"][0]["path"],
            "../sounds/a.wav");
}

// A reel of 300 clips, and so many edits of it in its journal.
fs::path edited_reel(const TempFolder& t, int edits) {
  Reel reel;
  for (int i = 0; i < 300; ++i) {
    reel.clips.push_back({});
    reel.clips.back().id = ClipId::numbered(i + 1);
    reel.clips.back().source = 1;
    reel.clips.back().group = 1;
    reel.clips.back().name = "clip " + std::to_string(i);
    reel.clips.back().frames = 48000;
  }
  source_for(reel, {t / "x.wav", 48000, 48000, 1, 1});
  group_called(reel, "A");
  reel.name = "r";
  reel.last_clip_id = 300;
  const auto file = t / (std::to_string(edits) + ".reel");
  save_reel(reel, file);
  Journal journal(file, read_text(file));
  for (int i = 0; i < edits; ++i) {
    reel.clips[static_cast<size_t>(i % 300)].name = "edit " + std::to_string(i);
    journal.tell(std::make_shared<const Reel>(reel), "Rename");
    journal.flush();
  }
  return file;
}

TEST(Recovery, TakesTimeByTheNumberOfEdits) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const TempFolder t;
  const fs::path files[] = {edited_reel(t, 600), edited_reel(t, 1200)};
  double best[] = {1e9, 1e9};
  // In turn, since a shared machine is not equally fast at all times.
  for (int i = 0; i < 40; ++i) {
    const auto from = std::chrono::steady_clock::now();
    const auto found = recover(files[i % 2]);
    best[i % 2] =
        std::min(best[i % 2],
                 std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count());
    ASSERT_TRUE(found && found->edits == (i % 2 == 0 ? 600 : 1200));
  }
  std::printf("  300 clips: 600 edits back in %.4f s, 1200 in %.4f s, %.2f times\n", best[0],
              best[1], best[1] / best[0]);
  EXPECT_LT(best[1], 2.2 * best[0]);
}

}  // namespace
}  // namespace drevan
