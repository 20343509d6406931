// SPDX-License-Identifier: GPL-3.0-or-later
// The journal: what it brings back, and what it does not believe.
#include "reel/files/journal.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "reel/files/json_file.h"
#include "reel/library/lock.h"
#include "support/steps.h"

namespace drevan {
namespace {

class JournalTest : public testing::Test {
 protected:
  JournalTest() {
    AudioBuffer x = test::sine(440, 0.1, 1);
    test::write_wav(folder / "a.wav", x);
    reel.name = "Test";
    add_clip(reel, examine_source(folder / "a.wav"), "Voices");
    save();
  }
  void save() {
    save_reel(reel, file);
    text = read_text(file);
  }
  std::shared_ptr<const Reel> named(const std::string& name) {
    reel.clips[0].name = name;
    return std::make_shared<const Reel>(reel);
  }
  // A journal of three edits that nobody ended.
  void three_edits() {
    Journal journal(file, text);
    for (const char* name : {"one", "two", "three"}) {
      journal.tell(named(name), std::string("Rename to ") + name);
      journal.flush();
    }
  }
  test::TempFolder folder;
  std::filesystem::path file = folder / "work.reel";
  std::filesystem::path beside = Journal::file_of(file);
  Reel reel;
  std::string text;
};

TEST_F(JournalTest, BringsBackEveryEdit) {
  three_edits();
  const auto found = recover(file);
  ASSERT_TRUE(found);
  EXPECT_EQ(found->edits, 3);
  EXPECT_EQ(found->last_label, "Rename to three");
  EXPECT_EQ(found->reel, reel);
}

TEST_F(JournalTest, ChainsAndRoomTonesComeBackToo) {
  {
    Journal journal(file, text);
    for (const StepType* type : catalogue()) {
      reel.clips[0].chain.steps.push_back(make_step(type->id));
      journal.tell(std::make_shared<const Reel>(reel), "Add");
    }
    reel.clips[0].room_tone = ClipRange{0.1, 0.7};
    reel.target = "podcast";
    journal.tell(std::make_shared<const Reel>(reel), "Mark room tone");
  }
  EXPECT_EQ(recover(file)->reel, reel);
}

// Cut off at any byte, as by a power cut: what stands in whole lines comes back, no more and no less.
TEST_F(JournalTest, ACutLineIsLeftOut) {
  three_edits();
  const std::string all = read_text(beside);
  std::vector<size_t> ends;
  for (size_t at = 0; (at = all.find('\n', at)) != std::string::npos; ++at) ends.push_back(at + 1);
  ASSERT_EQ(ends.size(), 4U);
  for (size_t length = 0; length <= all.size(); length += 7) {
    std::ofstream(beside, std::ios::binary) << all.substr(0, length);
    const auto whole = std::ranges::count_if(ends, [&](size_t e) { return e <= length; });
    const auto found = recover(file);
    EXPECT_EQ(found ? found->edits : 0, std::max<long>(0, whole - 1)) << length;
  }
}

TEST_F(JournalTest, AFlippedBitEndsIt) {
  three_edits();
  std::string all = read_text(beside);
  all[all.rfind("three")] = 'T';
  std::ofstream(beside, std::ios::binary) << all;
  ASSERT_TRUE(recover(file));
  EXPECT_EQ(recover(file)->edits, 2);
  EXPECT_EQ(recover(file)->reel.clips[0].name, "two");
}

TEST_F(JournalTest, OneOfAnotherStateOfTheFileIsNotBelieved) {
  three_edits();
  named("saved since");
  save();
  EXPECT_FALSE(recover(file));
}

TEST_F(JournalTest, ItGoesWhenTheReelIsSaved) {
  Journal journal(file, text);
  journal.tell(named("one"), "Rename");
  journal.flush();
  EXPECT_TRUE(std::filesystem::exists(beside));
  journal.end();
  EXPECT_FALSE(std::filesystem::exists(beside));
  EXPECT_FALSE(recover(file));
}

TEST_F(JournalTest, ADragLeavesFewLinesAndItsEnd) {
  {
    Journal journal(file, text);
    for (int i = 0; i < 300; ++i) journal.tell(named("drag " + std::to_string(i)), "Drag");
  }
  const auto found = recover(file);
  ASSERT_TRUE(found);
  EXPECT_LT(found->edits, 20);
  EXPECT_EQ(found->reel.clips[0].name, "drag 299");
}

TEST_F(JournalTest, WhereItCannotWriteItSaysSo) {
  Journal journal(folder / "no-such-folder" / "work.reel", text);
  journal.tell(named("one"), "Rename");
  journal.flush();
  EXPECT_NE(journal.take_problem().text.find("save it now"), std::string::npos);
  EXPECT_TRUE(journal.take_problem().empty());
}

TEST_F(JournalTest, OnlyOneHoldsTheLockAndDeathFreesIt) {
  std::string why;
  auto mine = ReelLock::take(file, why);
  ASSERT_TRUE(mine) << why;
  EXPECT_FALSE(ReelLock::take(file, why));
  EXPECT_NE(why.find("another Drevan (process " + std::to_string(::getpid())), std::string::npos)
      << why;
  mine.reset();
  // Somebody else takes it and is killed.
  int ready[2];
  ASSERT_EQ(::pipe(ready), 0);
  const pid_t child = ::fork();
  if (child == 0) {
    const auto held = ReelLock::take(file, why);
    const char c = held ? 'y' : 'n';
    if (::write(ready[1], &c, 1) == 1) ::pause();
    ::_exit(0);
  }
  char c = 0;
  ASSERT_EQ(::read(ready[0], &c, 1), 1);
  EXPECT_EQ(c, 'y');
  EXPECT_FALSE(ReelLock::take(file, why));
  ::kill(child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  EXPECT_TRUE(ReelLock::take(file, why)) << why;
}

}  // namespace
}  // namespace drevan
