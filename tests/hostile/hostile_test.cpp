// SPDX-License-Identifier: GPL-3.0-or-later
// The command line over every hostile file, each alone and under limits of time and memory: it ends with a code
// that the manual knows, says something, and leaves nothing behind.
#include "hostile/make_hostile.h"

#include <gtest/gtest.h>

#include <array>
#include <chrono>
#include <fstream>
#include <map>

#include "audio/error.h"
#include "reel/edits/cuts.h"
#include "reel/reel.h"
#include "reel/files/reel_file.h"
#include "support/extent.h"
#include "support/sanitized.h"
#include "support/sounds.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using test::quoted;
using test::TempFolder;

class HostileFiles : public testing::Test {
 protected:
  // Runs one command; checks what holds for all.
  int call(const std::string& what, const fs::path& file, size_t most_text = 6000) {
    // An address sanitizer's shadow is counted as memory, too.
#ifdef DREVAN_SANITIZED
    const std::string limits =
        "ulimit -t 60; export LSAN_OPTIONS=print_suppressions=0:suppressions=" DREVAN_SOURCE_DIR
        "/tests/lsan.supp; ";
#else
    const std::string limits = "ulimit -t 20; ulimit -v 1500000; ";
#endif
    const auto from = std::chrono::steady_clock::now();
    const auto r = test::run(limits + "timeout 60 " DREVAN_CLI " " + what + " " + quoted(file));
    const double took =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
    if (took > slowest_)
      slowest_ = took,
      slowest_file_ = file.filename().string() + " (" + what.substr(0, what.find(' ')) + ")";
    ++codes_[r.code];
    EXPECT_TRUE(r.code >= 0 && r.code <= 3) << what << " " << file << ": " << r.code << "\n"
                                            << r.out.substr(0, 2000);
    EXPECT_EQ(r.out.find('\x1b'), std::string::npos) << file;
    EXPECT_EQ(r.out.find("AddressSanitizer"), std::string::npos) << file << r.out.substr(0, 3000);
    EXPECT_EQ(r.out.find("runtime error"), std::string::npos) << file << r.out.substr(0, 3000);
    EXPECT_EQ(r.out.find("could not be done ("), std::string::npos)
        << what << file << r.out.substr(0, 500);
    if (r.code != 0) EXPECT_FALSE(r.out.empty()) << file;
    if (r.code != 0) EXPECT_LT(r.out.size(), most_text) << file;
    return r.code;
  }
  void told(size_t files) {
    std::string all;
    for (const auto& [code, n] : codes_)
      all += " " + std::to_string(code) + ": " + std::to_string(n) + " times;";
    std::printf("  %zu files; exit codes%s slowest %.2f s, %s\n", files, all.c_str(), slowest_,
                slowest_file_.c_str());
  }
  TempFolder t_;
  test::Hostile all_ = test::make_hostile(t_.path());
  std::map<int, int> codes_;
  double slowest_ = 0;
  std::string slowest_file_;
};

TEST_F(HostileFiles, Sounds) {
  DREVAN_IN_FULL_ONLY("the corpus of hostile files takes a minute");
  const auto recipe = quoted(t_ / "recipes" / fs::path("good.recipe")), out = quoted(t_ / "out");
  for (const auto& file : all_.sounds) {
    call("measure --json --", file);
#ifndef DREVAN_SANITIZED
    call("check --target podcast --", file);  // it reads as `measure` does
#endif
    call("render --recipe " + recipe + " --also flac:16 --out " + out + " --", file);
  }
  EXPECT_TRUE(test::left_over(t_ / "out").empty());
  told(all_.sounds.size());
}

TEST_F(HostileFiles, Reels) {
  DREVAN_IN_FULL_ONLY("the corpus of hostile files takes a minute");
  for (const auto& file : all_.reels) {
    if (file.extension() != ".reel") continue;
    call("render --out " + quoted(t_ / "out") + " --reel", file);
    call("render --mix --stems --out " + quoted(t_ / "mixed") + " --reel", file);
    Reel reel;
    try {
      reel = load_reel(file);
    } catch (const Error& e) {
      EXPECT_LT(std::string(e.what()).size(), 1000U) << file;
      continue;
    }
    // What was opened can be worked on, saved and opened again.
    if (!reel.clips.empty()) reel = edits::duplicate(reel, std::array{reel.clips[0].id}).next;
    EXPECT_NO_THROW(save_reel(reel, t_ / "again.reel")) << file;
    EXPECT_NO_THROW(EXPECT_EQ(load_reel(t_ / "again.reel").clips.size(), reel.clips.size()))
        << file;
  }
  told(all_.reels.size());
}

TEST_F(HostileFiles, Recipes) {
  DREVAN_IN_FULL_ONLY("the corpus of hostile files takes a minute");
  const auto sound = quoted(t_ / "sounds" / fs::path("good.wav"));
  for (const auto& file : all_.recipes) {
    call("recipe check", file);
    call("render --out " + quoted(t_ / "out") + " " + sound + " --recipe", file);
  }
  told(all_.recipes.size());
}

// Heard by a step: what cannot be read is told, and the clip is not done.
TEST_F(HostileFiles, Responses) {
  DREVAN_IN_FULL_ONLY("the corpus of hostile files takes a minute");
  const auto sound = quoted(t_ / "sounds" / fs::path("good.wav"));
  const auto recipe = t_ / "by-response.recipe";
  for (const auto& file : all_.responses) {
    std::ofstream(recipe)
        << R"({"drevan_recipe":2,"steps":[{"step":"convolution","settings":{"file":")"
        << file.string() << "\"}}]}";
    call("render --out " + quoted(t_ / "out") + " " + sound + " --recipe", recipe);
    call("recipe check", recipe);
  }
  told(all_.responses.size());
}

// All at once, in one batch: one bad file never stops it, and the codes add up.
TEST_F(HostileFiles, AFolderOfThem) {
  DREVAN_IN_FULL_ONLY("the corpus of hostile files takes a minute");
  EXPECT_EQ(call("render --recipe " + quoted(t_ / "recipes" / fs::path("good.recipe")) + " --out " +
                     quoted(t_ / "out"),
                 t_ / "sounds", 60000),
            3);
  EXPECT_TRUE(fs::exists(t_ / "out" / fs::path("good.wav")));
}

}  // namespace
}  // namespace drevan
