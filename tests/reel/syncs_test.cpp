// SPDX-License-Identifier: GPL-3.0-or-later
// How often the disk is asked to keep what was written: once for each line of a journal, and about
// once a second while recording. Fewer would lose edits with the power, more would wear the disk.
#include <gtest/gtest.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <thread>

#include "engine/recording/recorder.h"
#include "reel/files/journal.h"
#include "reel/files/json_file.h"
#include "support/reels.h"

namespace {
std::atomic<int> data_syncs{0};
}

// In the place of the system's, for the whole test program.
extern "C" int fdatasync(int descriptor) {
  ++data_syncs;
  return static_cast<int>(::syscall(SYS_fdatasync, descriptor));
}

namespace drevan {
namespace {

TEST(Syncs, OneForEachLineOfAJournal) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "One"}}, 0.1);
  save_reel(reel, t / "x.reel");
  data_syncs = 0;  // other tests have left theirs
  Journal journal(t / "x.reel", read_text(t / "x.reel"));
  journal.flush();
  EXPECT_EQ(data_syncs, 0);
  for (int i = 0; i < 6; ++i) {
    reel.clips[0].name = "name " + std::to_string(i);
    journal.tell(std::make_shared<const Reel>(reel), "Name");
    journal.flush();
    EXPECT_EQ(data_syncs.exchange(0), 1) << "edit " << i;
  }
  // Of edits that come at once the newest alone is written.
  for (int i = 0; i < 50; ++i) {
    reel.clips[0].name = "fast " + std::to_string(i);
    journal.tell(std::make_shared<const Reel>(reel), "Name");
  }
  journal.flush();
  const int fast = data_syncs.exchange(0);
  EXPECT_GE(fast, 1);
  EXPECT_LE(fast, 4);
  EXPECT_EQ(recover(t / "x.reel")->reel.clips[0].name, "fast 49");
}

// By the clock of the writing thread: two and a half seconds.
TEST(Syncs, AboutOneASecondWhileRecording) {
  const test::TempFolder t;
  Recorder recorder(48000);
  data_syncs = 0;
  recorder.begin({{{0}, t / "take.wav"}}, true);
  const std::vector<float> block(480, 0.25F);
  for (int i = 0; i < 250; ++i) {
    recorder.hear({block.data(), 1, 480, {}, -1});
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  const int while_recording = data_syncs;
  recorder.end();
  EXPECT_GE(while_recording, 1);
  EXPECT_LE(while_recording, 4);
  EXPECT_GT(data_syncs, while_recording) << "the end of it is safe, too";
}

}  // namespace
}  // namespace drevan
