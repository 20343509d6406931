// SPDX-License-Identifier: GPL-3.0-or-later
// Every command of drevan-cli with every code that it can end with. A command that is added must be
// added here.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>

#include "engine/making/response_making.h"
#include "reel/scene/scene_edits.h"
#include "support/make_film.h"
#include "support/reels.h"
#include "support/sanitized.h"
#include "support/steps.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

class ExitCodes : public testing::Test {
 protected:
  static constexpr int good = 0, misses = 1, wrong = 2, failed = 3;

  void SetUp() override {
    reel = test::reel_of(t, {{"a", "One"}, {"b", "One"}}, 1);
    test::make_film(t / "film.mov", {.frames = 30});
    reel = edits::add_film(reel, t / "film.mov", {0}).next;
    reel = edits::add_event(reel, {{0.5}, "door"}).next;
    save_reel(reel, t / "x.reel");
    Reel part = reel;
    part.sources[1].path = t / "gone.wav";
    save_reel(part, t / "part.reel");
    save_recipe({"quiet", "", {{test::with("gain", {{"gain_db", -6}})}}, {}}, t / "quiet.recipe");
    AudioBuffer tone = test::sine(1000, 0.7079, 2);
    test::write_wav(t / "tone.wav", tone);
    std::ofstream(t / "letter.wav") << "text";
    std::ofstream(t / "bad.recipe") << "{\"drevan_recipe\":1,\"steps\":[{\"step\":\"nothing\"}]}";
    std::ofstream(t / "bad.reel") << "{";
    ASSERT_EQ(call("sweep --seconds 1 --out " + in("sweep.wav")), good);
    fs::copy_file(t / "sweep.wav", t / "room.wav");
  }
  std::string in(const std::string& name) const { return "'" + (t / name).string() + "'"; }
  std::string to() { return " --out " + in("out " + std::to_string(++outputs_)) + " "; }
  std::string to_file(const std::string& ending) {
    return " --out " + in(std::to_string(++outputs_) + ending) + " ";
  }
  int call(const std::string& arguments) {
    const auto r = test::run(std::string(DREVAN_CLI) + " " + arguments);
    last_ = r.out;
    return r.code;
  }
  // Of the program's own help, so that none is forgotten.
  std::set<std::string> commands() {
    call("--help");
    std::set<std::string> out;
    const std::string list = last_.substr(last_.find("Subcommands:"));
    const std::regex one(R"(\n  ([a-z]+) )");
    for (std::sregex_iterator at(list.begin(), list.end(), one), end; at != end; ++at)
      out.insert((*at)[1]);
    return out;
  }
  test::TempFolder t;
  Reel reel;
  std::string last_;
  int outputs_ = 0;
};

TEST_F(ExitCodes, EachCommandEndsWithEachOfItsCodes) {
  struct Case {
    const char* command;
    int code;
    std::string arguments;
  };
  const std::string recipe = "--recipe " + in("quiet.recipe");
  const std::vector<Case> cases = {
      {"render", good, recipe + to() + in("a.wav")},
      {"render", good, "--reel " + in("x.reel") + to()},
      {"render", good, "--mix --reel " + in("x.reel") + to()},
      {"render", misses, recipe + " --target podcast" + to() + in("a.wav")},
      {"render", misses, "--mix --target podcast --reel " + in("x.reel") + to()},
      {"render", wrong, recipe + " --bits 20" + to() + in("a.wav")},
      {"render", wrong, recipe + " --target nonsense" + to() + in("a.wav")},
      {"render", wrong, "--recipe " + in("bad.recipe") + to() + in("a.wav")},
      {"render", failed, recipe + to() + in("letter.wav")},
      {"render", failed, recipe + to() + in("none.wav") + " " + in("a.wav")},
      {"render", failed, "--reel " + in("part.reel") + to()},
      {"render", failed, "--mix --reel " + in("part.reel") + to()},
      {"render", failed, "--reel " + in("none.reel") + to()},
      {"measure", good, in("a.wav")},
      {"measure", good, "--json " + in("a.wav")},
      {"measure", wrong, ""},
      {"measure", wrong, "--what " + in("a.wav")},
      {"measure", failed, in("letter.wav") + " " + in("a.wav")},
      {"measure", failed, "--json " + in("none.wav")},
      {"check", good, "--target peak-3 " + in("tone.wav")},
      {"check", misses, "--target podcast " + in("a.wav")},
      {"check", wrong, "--target nonsense " + in("a.wav")},
      {"check", wrong, in("a.wav")},
      {"check", failed, "--target peak-3 " + in("letter.wav")},
      {"advise", good, recipe + " " + in("a.wav")},
      {"advise", wrong, "--recipe " + in("bad.recipe")},
      {"advise", failed, "--recipe " + in("none.recipe")},
      {"advise", failed, recipe + " " + in("letter.wav")},
      {"steps", good, "--json"},
      {"steps", wrong, "--what"},
      {"recipe", good, "check " + in("quiet.recipe")},
      {"recipe", wrong, "check " + in("bad.recipe")},
      {"recipe", wrong, ""},
      {"recipe", failed, "check " + in("none.recipe")},
      {"film", good, "--reel " + in("x.reel") + to_file(".mov")},
      {"film", wrong, "--reel " + in("x.reel") + to_file(".xyz")},
      {"film", wrong, "--reel " + in("x.reel") + " --sound loud" + to_file(".mov")},
      {"film", wrong, "--reel " + in("bad.reel") + to_file(".mov")},
      {"film", failed, "--reel " + in("part.reel") + to_file(".mov")},
      {"film", failed, "--reel " + in("none.reel") + to_file(".mov")},
      {"events", good, "--reel " + in("x.reel")},
      {"events", good, "--clips --reel " + in("x.reel") + to_file(".csv")},
      {"events", good, "--film " + in("film.mov") + to_file(".vtt")},
      {"events", wrong, ""},
      {"events", wrong, "--reel " + in("x.reel") + to_file(".xyz")},
      {"events", failed, "--film " + in("letter.wav")},
      {"events", failed, "--reel " + in("none.reel")},
      {"sweep", good, "--seconds 1" + to_file(".wav")},
      {"sweep", wrong, "--seconds -1" + to_file(".wav")},
      {"sweep", wrong, ""},
      {"sweep", failed, "--seconds 1 --out " + in("no folder/x.wav")},
      {"response", good, "--sweep " + in("sweep.wav") + to_file(".wav") + in("room.wav")},
      {"response", wrong, in("room.wav")},
      {"response", failed, "--sweep " + in("sweep.wav") + to_file(".wav") + in("letter.wav")},
      {"response", failed, "--sweep " + in("none.wav") + to_file(".wav") + in("room.wav")},
  };
  std::map<std::string, std::set<int>> met;
  for (const Case& c : cases) {
    EXPECT_EQ(call(std::string(c.command) + " " + c.arguments), c.code)
        << c.command << " " << c.arguments << "\n"
        << last_;
    // What went wrong is said, in a sentence of our own.
    if (c.code >= wrong) EXPECT_FALSE(last_.empty()) << c.command << " " << c.arguments;
    EXPECT_EQ(last_.find("tell Drevan's makers"), std::string::npos) << last_;
    met[c.command].insert(c.code);
  }
  std::set<std::string> seen;
  for (const auto& [command, codes] : met) {
    seen.insert(command);
    EXPECT_TRUE(codes.contains(good) && codes.contains(wrong)) << command;
  }
  EXPECT_EQ(seen, commands());
}

// Ctrl-C and the system's end: what takes long stops, with the code that shells know, and leaves
// nothing half-written.
TEST_F(ExitCodes, WhatIsStoppedEndsWithItsCode) {
#ifdef DREVAN_SANITIZED
  GTEST_SKIP() << "by the clock";
#endif
  AudioBuffer x = test::noise(0.05, 300, 3);
  test::write_wav(t / "long.wav", x);
  Reel long_one = reel;
  const ClipId id = add_clip(long_one, examine_source(t / "long.wav"), "One");
  long_one.find(id)->chain.steps = {make_step("pitch"), make_step("noise-reduction")};
  long_one.find(id)->room_tone = ClipRange{{1}, {3}};
  settle_step_ids(long_one);
  save_reel(long_one, t / "long.reel");
  std::string many;
  for (int i = 0; i < 12; ++i) many += " " + in("long.wav");
  save_recipe({"slow", "", {{make_step("pitch"), make_step("compressor")}}, {}}, t / "slow.recipe");
  const std::string calls[] = {
      "render --recipe " + in("slow.recipe") + to() + in("long.wav"),
      "render --mix --reel " + in("long.reel") + to(),
      "film --reel " + in("long.reel") + to_file(".mov"),
      "measure" + many,
      "check --target podcast" + many,
  };
  for (const std::string& one : calls)
    for (const auto& [signal, code] : {std::pair("INT", 130), std::pair("TERM", 143)}) {
      const auto before = std::distance(fs::directory_iterator(t.path()), {});
      const auto r = test::run("timeout --preserve-status -s " + std::string(signal) + " 0.4 " +
                               DREVAN_CLI + " " + one);
      EXPECT_EQ(r.code, code) << one << "\n" << r.out;
      long files = 0;
      for (const auto& entry : fs::recursive_directory_iterator(t.path()))
        if (entry.path().string().find(".part") != std::string::npos) ++files;
      EXPECT_EQ(files, 0) << one << " left a part";
      EXPECT_LE(std::distance(fs::directory_iterator(t.path()), {}), before + 1) << one;
    }
}

}  // namespace
}  // namespace drevan
