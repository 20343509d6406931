// SPDX-License-Identifier: GPL-3.0-or-later
// Every write, sync and rename fails once in turn while a reel is edited, saved, printed, saved under another name
// and rendered; and memory is refused. Whatever fails: the reel opens and is the old or the new one, no final
// name holds half a file, nothing hidden stays, and there is a sentence.
#ifdef DREVAN_FAULTS
#include <gtest/gtest.h>

#include <fstream>
#include <map>

#include "media/reader.h"
#include "reel/files/history_file.h"
#include "reel/files/journal.h"
#include "support/reels.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

class Faults : public testing::Test {
 protected:
  void fresh() {
    fs::remove_all(t_ / "work");
    fs::create_directory(t_ / "work");
    for (const auto& name : {"voice.wav", "r.reel"})
      fs::copy_file(t_ / name, t_ / "work" / fs::path(name));
  }
  test::Ran run(const std::string& fault, const std::string& command) {
    return test::run("DREVAN_FAULT=" + fault + " DREVAN_FAULT_LOG='" + (t_ / "log").string() +
                     "' LD_PRELOAD=" DREVAN_FAULTS " " + command);
  }
  long count(const std::string& kind) {
    std::ifstream in(t_ / "log");
    std::string word;
    long n = 0;
    while (in >> word >> n)
      if (word == kind) return n;
    return 0;
  }
  TempFolder t_;
};

TEST_F(Faults, EveryCallToTheDiskFailsOnce) {
  Reel reel = test::reel_of(t_, {{"voice", "Voices"}}, 0.4);
  reel.name = "r";
  save_reel(reel, t_ / "r.reel");
  const std::string victim =
      "'" DREVAN_VICTIM "' '" + (t_ / "work" / fs::path("r.reel")).string() + "'";
  fresh();
  ASSERT_EQ(run("none", victim).code, 0);
  const Reel newest = load_reel(t_ / "work" / fs::path("r.reel"));
  ASSERT_EQ(newest.clips[0].version, 1);
  // fsync(2): a renamed file lasts when its folder has been synced.
  EXPECT_GE(count("folder"), count("rename"));
  std::map<std::string, long> runs;
  int told = 0;
  for (const char* kind : {"write", "fsync", "rename"}) runs[kind] = count(kind);
  for (const auto& [kind, calls] : runs)
    for (long n = 1; n <= calls; ++n) {
      fresh();
      const auto r = run(kind + ":" + std::to_string(n), victim);
      const auto where = kind + " " + std::to_string(n) + ": " + r.out;
      ASSERT_TRUE(r.code == 0 || r.code == 3) << where;
      ASSERT_EQ(r.code == 3, !r.out.empty()) << where;
      told += r.code == 3 ? 1 : 0;
      const auto file = t_ / "work" / fs::path("r.reel");
      const Reel now = load_reel(file);
      // The old one, the edited one, or the printed one; and what the journal adds is the edit.
      const bool old = now.clips == reel.clips,
                 edited = now.clips[0].name == "edited" && now.clips[0].version == 0,
                 printed = now.clips == newest.clips;
      ASSERT_TRUE(old || edited || printed) << where;
      if (const auto found = recover(file)) ASSERT_EQ(found->reel.clips[0].name, "edited") << where;
      load_history(file);
      for (const auto& entry : fs::recursive_directory_iterator(t_ / "work")) {
        const auto name = entry.path().filename().string();
        ASSERT_TRUE(!name.ends_with(".part")) << where << name;
        if (entry.path().extension() == ".reel") {
          const Reel any = load_reel(entry.path());
          for (const auto& source : any.sources)
            ASSERT_EQ(check_source(source, true), SourceState::fine) << where << source.path;
        }
        if (entry.path().extension() == ".wav" || entry.path().extension() == ".flac")
          ASSERT_EQ(open_audio(entry.path())->info().frames, 19200) << where << name;
      }
    }
  std::printf(
      "  %ld writes, %ld syncs, %ld renames failed in turn; %d times something could not be done, "
      "each with a sentence\n",
      runs["write"], runs["fsync"], runs["rename"], told);
  EXPECT_GT(told, static_cast<int>(runs["fsync"]));
}

TEST_F(Faults, NoMemoryIsASentenceAndNothingStays) {
  Reel reel = test::reel_of(t_, {{"a", "A"}, {"b", "B"}}, 20);
  // Sound is put aside before each normalise and before the reverse.
  reel.groups[0].chain.steps = {make_step("normalise"), make_step("compressor"),
                                make_step("normalise"), make_step("reverse")};
  save_reel(reel, t_ / "r.reel");
  const auto command = "'" DREVAN_CLI "' render --reel '" + (t_ / "r.reel").string() +
                       "' --jobs 1 --mix --stems --out '" + (t_ / "out").string() + "'";
  ASSERT_EQ(run("none", command).code, 0);
  const long calls = count("memory");
  int told = 0;
  for (long n = 1; n <= calls; ++n) {
    fs::remove_all(t_ / "out");
    const auto r = run("memory:" + std::to_string(n), command);
    ASSERT_TRUE(r.code == 0 || r.code == 3) << n << ": " << r.code << r.out;
    told += r.code == 3 ? 1 : 0;
    if (fs::exists(t_ / "out")) ASSERT_TRUE(test::left_over(t_ / "out").empty()) << n;
  }
  std::printf(
      "  %ld large requests for memory refused in turn: %d runs could not go on, each with a "
      "sentence\n",
      calls, told);
  // Where sound is only put aside the disk takes it instead.
  EXPECT_GE(told, 2);
  EXPECT_GT(calls, told);
}

// A folder that knows no locks is not "open in another Drevan".
TEST_F(Faults, AFolderWithoutLocksCanBeWorkedIn) {
  test::reel_of(t_, {{"voice", "Voices"}}, 0.1);
  const auto r = run("flock:1", "'" DREVAN_VICTIM "' --lock '" + (t_ / "r.reel").string() + "'");
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_NE(r.out.find("taken without guarding"), std::string::npos) << r.out;
}

}  // namespace
}  // namespace drevan
#endif
