// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <fstream>

#include "audio/error.h"
#include "reel/history.h"
#include "reel/files/json_file.h"
#include "reel/reel.h"
#include "support/reels.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

std::string error_of(const std::string& recipe) {
  try {
    recipe_from_text(recipe, "five.recipe");
  } catch (const Error& e) {
    EXPECT_EQ(e.kind(), Error::Kind::call);
    return e.what();
  }
  return "";
}

TEST(Recipe, TheDesignsExampleIsRead) {
  const auto r = recipe_from_text(
      R"({ "drevan_recipe": 1, "name": "Voice, five steps", "note": "raw voiceover to -3 dB peak",
    "steps": [
      { "step": "normalise", "settings": { "measure": "sample_peak", "target_db": -3 } },
      { "step": "noise-reduction", "settings": { "depth_db": 12 } },
      { "step": "cut", "settings": { "low_hz": 80, "low_slope_db": 24 } },
      { "step": "compressor", "settings": { "threshold_db": -15, "ratio": 3, "attack_ms": 5, "release_ms": 120 } },
      { "step": "normalise", "settings": { "measure": "sample_peak", "target_db": -3 }, "on": true } ] })",
      "x");
  ASSERT_EQ(r.chain.steps.size(), 5U);
  EXPECT_EQ(r.chain.steps[2].type->brief(r.chain.steps[2].settings), "below 80 Hz");
  EXPECT_EQ(
      r.chain.steps[3]
          .settings[static_cast<size_t>(parameter_index(*r.chain.steps[3].type, "release_ms"))],
      120);
}

TEST(Recipe, ErrorsNameFilePlaceAndRange) {
  const auto step = [](const std::string& s) {
    return R"({"drevan_recipe":1,"name":"x","steps":[{"step":"gain"},)" + s + "]}";
  };
  auto e = error_of(step(R"({"step":"warble"})"));
  EXPECT_NE(e.find("five.recipe, step 2"), std::string::npos) << e;
  EXPECT_NE(e.find("\"warble\""), std::string::npos) << e;
  EXPECT_NE(e.find("compressor"), std::string::npos) << e;
  e = error_of(step(R"({"step":"compressor","settings":{"threshhold_db":-12}})"));
  EXPECT_NE(e.find("threshhold_db"), std::string::npos) << e;
  EXPECT_NE(e.find("threshold_db"), std::string::npos) << e;
  e = error_of(step(R"({"step":"compressor","settings":{"threshold_db":12}})"));
  EXPECT_NE(e.find("step 2 (compressor): \"threshold_db\" is 12, allowed is -60 to 0 dB"),
            std::string::npos)
      << e;
  e = error_of(step(R"({"step":"normalise","settings":{"measure":"volume"}})"));
  EXPECT_NE(e.find("\"true_peak\""), std::string::npos) << e;
  e = error_of(step(R"({"step":"cut","settings":{"low_slope_db":18}})"));
  EXPECT_NE(e.find("12, 24, 36, 48"), std::string::npos) << e;
  e = error_of(step(R"({"step":"gain","settings":{"gain_db":"loud"}})"));
  EXPECT_NE(e.find("\"loud\""), std::string::npos) << e;
  e = error_of(step(R"({"step":"gain","settings":{"gain_db":null}})"));
  EXPECT_NE(e.find("gain_db"), std::string::npos) << e;
  e = error_of(step(R"({"step":"gain","volume":3})"));
  EXPECT_NE(e.find("volume"), std::string::npos) << e;
  EXPECT_NE(error_of(R"({"name":"x","steps":[]})").find("drevan_recipe"), std::string::npos);
  EXPECT_NE(error_of(R"({"drevan_recipe":99,"steps":[]})").find("version 99"), std::string::npos);
  EXPECT_NE(error_of(R"([1,2])").find("drevan_recipe"), std::string::npos);
}

TEST(Recipe, JsonCutInHalfNamesTheLine) {
  const std::string whole =
      to_json(Recipe{"x", "", Chain{{make_step("gain"), make_step("cut")}}, {}}).dump(2);
  for (size_t length = 1; length + 1 < whole.size(); length += 7) {
    const auto e = error_of(whole.substr(0, length));
    EXPECT_NE(e.find("five.recipe, line"), std::string::npos) << length << ": " << e;
  }
}

Reel sample(const TempFolder& t) {
  Reel reel;
  reel.name = "Test";
  for (const char* name : {"a", "b"}) {
    AudioBuffer x = test::noise(0.1, 2, 3);
    test::write_wav(t / (std::string(name) + ".wav"), x);
    add_clip(reel, examine_source(t / (std::string(name) + ".wav")), "Group");
  }
  reel.clips[0].room_tone = ClipRange{0.25, 1.5};
  reel.clips[0].chain.steps = {make_step("normalise"), make_step("cut")};
  reel.clips[0].chain.steps[1].on = false;
  reel.groups[0].chain.steps = {make_step("compressor")};
  return reel;
}

TEST(ReelFile, RoundTrips) {
  const TempFolder t;
  const Reel reel = sample(t);
  save_reel(reel, t / "x.reel");
  EXPECT_EQ(load_reel(t / "x.reel"), reel);
}

// Found by fuzzing: a number no double can hold.
TEST(ReelFile, NumbersBeyondAllBoundsAreTold) {
  try {
    reel_from_text(R"({"drevan_reel":1,"rate_hz":1e999})", "/nowhere", "x.reel");
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("x.reel: a number"), std::string::npos);
  }
}

// An old archive's file names are no UTF-8.
TEST(ReelFile, NamesOfAnyBytesCanBeSaved) {
  const TempFolder t;
  Reel reel = sample(t);
  reel.clips[0].name = "T\xfcr";
  save_reel(reel, t / "x.reel");
  EXPECT_EQ(load_reel(t / "x.reel").clips.size(), 2U);
  EXPECT_EQ(load_reel(t / "x.reel").clips[1], reel.clips[1]);
}

// So are those of the files that steps hear.
TEST(ReelFile, StepsFilesOfAnyBytesAreFoundAgain) {
  const TempFolder t;
  Reel reel = sample(t);
  ChainStep heard = make_step("convolution"), beside = make_step("vocoder");
  heard.settings.texts[0] = (t / "H\xf6rsaal.wav").string();
  beside.sides.resize(beside.type->sides.size());
  beside.sides[0].from = SideChoice::From::file;
  beside.sides[0].file = t / "Stra\xdf" /
                         "Br\xfc"
                         "cke.wav";
  reel.chain.steps.push_back(heard);
  reel.chain.steps.push_back(beside);
  save_reel(reel, t / "x.reel");
  const Reel again = load_reel(t / "x.reel");
  ASSERT_EQ(again.chain.steps.size(), reel.chain.steps.size());
  EXPECT_EQ((again.chain.steps.end() - 2)->settings.texts[0], heard.settings.texts[0]);
  ASSERT_EQ(again.chain.steps.back().sides.size(), 1U);
  EXPECT_EQ(again.chain.steps.back().sides[0].file, beside.sides[0].file);
}

TEST(ReelFile, MovedFolderIsFoundAgain) {
  const TempFolder t;
  fs::create_directories(t / "one");
  Reel reel;
  AudioBuffer x = test::noise(0.1, 1, 3);
  test::write_wav(t / "one" / "a.wav", x);
  add_clip(reel, examine_source(t / "one" / "a.wav"), "G");
  save_reel(reel, t / "one" / "x.reel");
  fs::rename(t / "one", t / "two");
  const Reel moved = load_reel(t / "two" / "x.reel");
  EXPECT_EQ(check_source(moved.sources[0], true), SourceState::fine);
}

TEST(ReelFile, MissingSourceOpensAndCanBeFoundAgain) {
  const TempFolder t;
  Reel reel = sample(t);
  save_reel(reel, t / "x.reel");
  fs::create_directories(t / "elsewhere");
  fs::rename(t / "a.wav", t / "elsewhere" / "a.wav");
  fs::rename(t / "b.wav", t / "elsewhere" / "b.wav");
  Reel opened = load_reel(t / "x.reel");
  ASSERT_EQ(opened.clips.size(), 2U);
  EXPECT_EQ(check_source(opened.sources[0], false), SourceState::missing);
  // Finding one finds its neighbour.
  EXPECT_EQ(relink(opened, 1, t / "elsewhere" / "a.wav"), 2);
  EXPECT_EQ(check_source(opened.sources[1], true), SourceState::fine);
  EXPECT_EQ(opened.clips[0].room_tone, reel.clips[0].room_tone);
}

TEST(ReelFile, ChangedSourceIsNoticed) {
  const TempFolder t;
  const Reel reel = sample(t);
  AudioBuffer other = test::noise(0.1, 2, 77);
  test::write_wav(t / "a.wav", other);
  EXPECT_EQ(check_source(reel.sources[0], true), SourceState::changed);
  EXPECT_EQ(check_source(reel.sources[1], true), SourceState::fine);
}

TEST(ReelFile, WrongValuesAreRefusedWhole) {
  const TempFolder t;
  const auto text = reel_to_text(sample(t), t.path());
  const std::pair<std::string, std::string> changes[] = {
      {"\"source\": 1", "\"source\": 7"},       {"\"group\": 1", "\"group\": 0"},
      {"\"frames\": 96000", "\"frames\": -5"},  {"\"id\": 2", "\"id\": 1"},
      {"\"rate_hz\": 48000", "\"rate_hz\": 1"}, {"\"step\": \"cut\"", "\"step\": \"cutt\""},
      {"\"name\": \"a\"", "\"name\": 3"}};
  test::expect_refused(text, t.path(), changes);
  EXPECT_THROW(reel_from_text(text.substr(0, text.size() / 2), t.path(), "x.reel"), Error);
}

TEST(ReelFile, FailedSaveKeepsTheOldFile) {
  const TempFolder t;
  std::ofstream(t / "x.reel") << "old";
  // A folder in the way of the temporary file's folder: the place cannot be written.
  EXPECT_THROW(write_text(t / "nowhere" / "x.reel", "new"), Error);
  EXPECT_EQ(read_text(t / "x.reel"), "old");
  EXPECT_EQ(std::distance(fs::directory_iterator(t.path()), {}), 1);
}

TEST(ReelEdits, RemovingClipsTakesUnusedGroupsAndSources) {
  const TempFolder t;
  Reel reel = sample(t);
  const ClipId ids[] = {1};
  remove_clips(reel, ids);
  EXPECT_EQ(reel.sources.size(), 1U);
  EXPECT_EQ(reel.clips[0].source.number(), 2) << "it keeps its id";
  EXPECT_EQ(reel.groups.size(), 1U);
  const ClipId rest[] = {2};
  remove_clips(reel, rest);
  EXPECT_TRUE(reel.sources.empty() && reel.groups.empty() && reel.clips.empty());
}

TEST(ReelEdits, ChainsFlowClipGroupReel) {
  const TempFolder t;
  Reel reel = sample(t);
  reel.chain.steps = {make_step("gain")};
  const auto all = running_steps(reel, reel.clips[0]);
  ASSERT_EQ(all.size(), 3U);  // the cut is off
  EXPECT_EQ(all[0].step->type->id, "normalise");
  EXPECT_EQ(all[1].step->type->id, "compressor");
  EXPECT_EQ(all[2].step->type->id, "gain");
}

TEST(History, UndoesAndMergesDrags) {
  History h;
  const auto named = [](const char* name) {
    Reel r;
    r.name = name;
    return r;
  };
  h.edit(named("a"), "A");
  h.edit(named("b"), "Drag", "k");
  h.edit(named("c"), "Drag", "k");
  h.end_merge();
  h.edit(named("d"), "Drag", "k");
  EXPECT_EQ(h.undo_label(), "Drag");
  h.undo();
  EXPECT_EQ(h.now().name, "c");
  h.undo();
  EXPECT_EQ(h.now().name, "a");
  h.redo();
  EXPECT_EQ(h.now().name, "c");
  h.edit(named("e"), "E");
  EXPECT_FALSE(h.can_redo());
  h.mark_saved();
  EXPECT_FALSE(h.changed());
  h.undo();
  EXPECT_TRUE(h.changed());
  h.edit(h.now(), "nothing");
  EXPECT_TRUE(h.can_redo());
}

}  // namespace
}  // namespace drevan
