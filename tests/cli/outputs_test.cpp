// SPDX-License-Identifier: GPL-3.0-or-later
// What the program writes: through one door, never over what it reads, and over what it did not make
// only when asked.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>

#include "batch/batch.h"
#include "reel/reel.h"
#include "reel/scene/scene_edits.h"
#include "support/make_film.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
const std::string program = DREVAN_CLI;

std::string in_quotes(const fs::path& p) { return " '" + p.string() + "' "; }

class OutputsTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(t, {{"a", "One"}, {"b", "One"}}, 1);
    test::make_film(t / "film.mov", {.frames = 30});
    reel = edits::add_film(reel, t / "film.mov", {0}).next;
    reel = edits::add_event(reel, {{0.5}, "door"}).next;
    save_reel(reel, t / "x.reel");
    std::ofstream(t / "mine.txt") << "mine";
  }
  static std::string text(const fs::path& file) {
    const auto bytes = test::bytes(file);
    return {bytes.begin(), bytes.end()};
  }
  test::TempFolder t;
  Reel reel;
};

TEST_F(OutputsTest, NoCommandReplacesWhatItReadsOrWhatItWasNotAskedFor) {
  ASSERT_EQ(test::run(program + " sweep --seconds 1 --out" + in_quotes(t / "sweep.wav")).code, 0);
  fs::copy_file(t / "sweep.wav", t / "room.wav");
  const struct {
    std::string call;
    fs::path out, read;
  } cases[] = {
      {program + " sweep --seconds 1 --out", t / "other.wav", {}},
      {program + " response --sweep" + in_quotes(t / "sweep.wav") + in_quotes(t / "room.wav") +
           "--out",
       t / "response.wav", t / "room.wav"},
      {program + " film --reel" + in_quotes(t / "x.reel") + "--out", t / "new.mov", t / "film.mov"},
      {program + " events --reel" + in_quotes(t / "x.reel") + "--out", t / "events.csv", {}},
      {program + " events --clips --reel" + in_quotes(t / "x.reel") + "--out",
       t / "clips.vtt",
       {}}};
  for (const auto& c : cases) {
    EXPECT_EQ(test::run(c.call + in_quotes(c.out)).code, 0) << c.call;
    // There is one now.
    std::ofstream(c.out) << "somebody's own";
    const auto again = test::run(c.call + in_quotes(c.out));
    EXPECT_EQ(again.code, 2) << c.call;
    EXPECT_NE(again.out.find("--overwrite"), std::string::npos) << again.out;
    EXPECT_EQ(text(c.out), "somebody's own") << c.call;
    EXPECT_EQ(test::run(c.call + in_quotes(c.out) + "--overwrite").code, 0) << c.call;
    EXPECT_NE(text(c.out), "somebody's own") << c.call;
    if (c.read.empty()) continue;
    const auto before = text(c.read);
    EXPECT_EQ(test::run(c.call + in_quotes(c.read) + "--overwrite").code, 2) << c.call;
    EXPECT_EQ(text(c.read), before) << c.call;
  }
  // The standard name of a response is no exception.
  const std::string standard =
      program + " response --sweep" + in_quotes(t / "sweep.wav") + in_quotes(t / "room.wav");
  EXPECT_EQ(test::run(standard).code, 0);
  EXPECT_EQ(test::run(standard).code, 2);
}

// A batch into the folder where its response and its carrier lie.
TEST_F(OutputsTest, ABatchNeverReplacesWhatItsChainsHear) {
  ChainStep room = make_step("convolution");
  AudioBuffer click(1, 4800);
  click.channel(0)[0] = 1;
  test::write_wav(t / "hall.wav", click);
  room.settings.texts[0] = (t / "hall.wav").string();
  Recipe recipe{"hall", "", {{room}}, {}};
  save_recipe(recipe, t / "hall.recipe");
  fs::create_directory(t / "in");
  AudioBuffer voice = test::words(0.2, 1);
  test::write_wav(t / "in" / "hall.wav", voice);
  const auto before = text(t / "hall.wav");
  const auto r = test::run(program + " render --overwrite --room-tone none --recipe" +
                           in_quotes(t / "hall.recipe") + "--out" + in_quotes(t.path()) +
                           in_quotes(t / "in" / "hall.wav"));
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(text(t / "hall.wav"), before);
  EXPECT_TRUE(fs::exists(t / "hall-2.wav"));
}

TEST_F(OutputsTest, AMissingOrBrokenFileOfAStepIsNoSuccess) {
  ChainStep room = make_step("convolution");
  AudioBuffer voice = test::words(0.2, 1);
  test::write_wav(t / "voice.wav", voice);
  for (const char* name : {"gone.wav", "mine.txt"}) {
    room.settings.texts[0] = (t / name).string();
    save_recipe({"hall", "", {{room}}, {}}, t / "hall.recipe");
    const auto checked = test::run(program + " recipe check" + in_quotes(t / "hall.recipe"));
    EXPECT_EQ(checked.code, 3) << name;
    EXPECT_NE(checked.out.find(name), std::string::npos) << checked.out;
    const auto r =
        test::run(program + " render --room-tone none --recipe" + in_quotes(t / "hall.recipe") +
                  "--out" + in_quotes(t / "out") + in_quotes(t / "voice.wav"));
    EXPECT_EQ(r.code, 3) << r.out;
    EXPECT_NE(r.out.find("works without"), std::string::npos) << r.out;
  }
}

// A clip that cannot be rendered is missing in the film: that is no success.
TEST_F(OutputsTest, AFilmWithAMissingClipEndsWithThree) {
  const std::string call = program + " film --reel" + in_quotes(t / "x.reel") + "--out";
  EXPECT_EQ(test::run(call + in_quotes(t / "whole.mov")).code, 0);
  fs::remove(reel.sources[1].path);
  EXPECT_EQ(test::run(call + in_quotes(t / "part.mov")).code, 3);
  EXPECT_EQ(test::run(program + " film --reel" + in_quotes(t / "none.reel") + "--out" +
                      in_quotes(t / "no.mov"))
                .code,
            3);
  EXPECT_EQ(test::run(call + in_quotes(t / "no.xyz")).code, 2);
  EXPECT_EQ(test::run(program + " events --reel" + in_quotes(t / "none.reel")).code, 3);
  EXPECT_EQ(test::run(program + " events").code, 2);
  EXPECT_EQ(test::run(program + " events --film" + in_quotes(t / "mine.txt")).code, 3);
}

// PCM cannot hold what lies above full scale: that is told, as it is of a mix.
TEST_F(OutputsTest, AFilmTellsWhatItClips) {
  for (Clip& c : reel.clips.each()) c.chain.steps = {test::with("gain", {{"gain_db", 36}})};
  settle_step_ids(reel);
  save_reel(reel, t / "loud.reel");
  const auto r = test::run(program + " film --reel" + in_quotes(t / "loud.reel") + "--out" +
                           in_quotes(t / "loud.mov"));
  EXPECT_EQ(r.code, 0);
  EXPECT_NE(r.out.find("samples clipped"), std::string::npos) << r.out;
}

// Every place that opens a file for writing, and why it may. Another one must go through
// ReplacementFile, and its name through require_output() or settle_names().
TEST(Outputs, EveryPlaceThatWritesIsKnown) {
  const std::map<std::string, int> known = {
      {"audio/replace_file.cpp", 1},  // the door itself
      {"media/peaks.cpp", 1},         // a cache of our own
      {"media/growing_wav.cpp", 1},   // recordings: never over a file that is there
      {"media/film_file.cpp", 1},     // into a ReplacementFile's part
      {"batch/record.cpp", 1},
      // what a batch has done, hidden in its folder
      {"cli/make_shell_files.cpp", 1},  // at build time
      {"reel/library/lock.cpp", 1},     // holds nothing
      {"reel/files/journal.cpp", 1},    // beside the reel, under its name
      {"reel/scene/recording.cpp", 1},  // beside a recording: never over a file that is there
      {"desktop/work/reel_memory.cpp",
       2},  // what the program remembers of a reel, in its own folder
  };
  const std::regex opens(
      R"(O_CREAT|std::ofstream|QSaveFile \w|QIODevice::WriteOnly|avio_open\(|sf_open\([^)]*SFM_WRITE|fopen\([^)]*"[wa])");
  std::map<std::string, int> found;
  const fs::path source = DREVAN_SOURCE_DIR "/src";
  for (const auto& entry : fs::recursive_directory_iterator(source)) {
    if (entry.path().extension() != ".cpp" && entry.path().extension() != ".h") continue;
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);)
      if (std::regex_search(line, opens) && line.find("QBuffer") == std::string::npos &&
          line.find("buffer.open") == std::string::npos)
        ++found[entry.path().lexically_relative(source).string()];
  }
  EXPECT_EQ(found, known);
}

}  // namespace
}  // namespace drevan
