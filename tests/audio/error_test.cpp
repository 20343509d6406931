// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong and why: the cause goes by the system's number, never by words.
#include <gtest/gtest.h>

#include <cerrno>
#include <future>
#include <new>
#include <set>

#include "audio/guarded_thread.h"
#include "audio/hash.h"
#include "audio/parallel.h"
#include "audio/replace_file.h"
#include "support/sounds.h"

namespace drevan {
namespace {

TEST(Causes, GoByTheSystemsNumber) {
  for (const int full : {ENOSPC, EDQUOT, EFBIG})
    EXPECT_EQ(cause_of_errno(full, true), Cause::disk_full);
  for (const int no : {EACCES, EROFS, EPERM})
    EXPECT_EQ(cause_of_errno(no, true), Cause::not_allowed);
  EXPECT_EQ(cause_of_errno(ENOENT, false), Cause::missing);
  EXPECT_EQ(cause_of_errno(EIO, false), Cause::unreadable);
  EXPECT_EQ(cause_of_errno(EIO, true), Cause::unwritable);
  const Error full = cannot_write("/takes/room tone/is missing.wav", ENOSPC);
  EXPECT_EQ(full.cause(), Cause::disk_full);
  EXPECT_EQ(full.kind(), Error::Kind::output);
  EXPECT_EQ(full.concerns(), "/takes/room tone/is missing.wav");
  const test::TempFolder t;
  try {
    hash_file(t / "gone.wav");
    FAIL();
  } catch (const Error& e) {
    EXPECT_EQ(e.cause(), Cause::missing);
    EXPECT_EQ(e.concerns(), t / "gone.wav");
  }
}

TEST(Causes, OfAnyErrorFollowItsKind) {
  EXPECT_EQ(Error(Error::Kind::call, "x").cause(), Cause::request);
  EXPECT_EQ(Error(Error::Kind::input, "x").cause(), Cause::unreadable);
  EXPECT_EQ(Error(Error::Kind::output, "x").cause(), Cause::unwritable);
  EXPECT_EQ(Error(Error::Kind::device, "x").cause(), Cause::device);
}

template <class Throw>
Problem caught_from(Throw throws) {
  try {
    throws();
  } catch (...) {
    return caught_problem();
  }
  return {};
}

TEST(Causes, WhateverIsThrownIsTold) {
  EXPECT_EQ(caught_from([] { throw std::bad_alloc(); }).cause, Cause::memory);
  EXPECT_NE(caught_from([] { throw std::runtime_error("knot"); }).text.find("knot"),
            std::string::npos);
  EXPECT_FALSE(caught_from([] { throw 7; }).empty());
  EXPECT_TRUE(caught_from([] { throw Cancelled{}; }).empty());
  const auto folder = caught_from([] { std::filesystem::create_directory("/proc/none/none"); });
  EXPECT_EQ(folder.cause, Cause::missing);
  EXPECT_EQ(folder.concerns, "/proc/none/none");
  const auto error =
      caught_from([] { throw Error(Error::Kind::input, Cause::damaged, "It ends.", "a.wav"); });
  EXPECT_EQ(error.text, "It ends.");
  EXPECT_EQ(error.cause, Cause::damaged);
  EXPECT_EQ(error.concerns, "a.wav");
}

TEST(GuardedThread, TellsWhatWasThrownAndNothingOfACancel) {
  for (const bool cancelled : {false, true}) {
    std::promise<void> ended;
    Problem told;
    {
      const auto thread = guarded_thread(
          [&](const std::stop_token&) {
            if (cancelled) throw Cancelled{};
            throw std::bad_alloc();
          },
          [&](Problem why) { told = std::move(why); });
    }
    EXPECT_EQ(told.cause, cancelled ? Cause::other : Cause::memory);
    EXPECT_EQ(told.empty(), cancelled);
  }
}

TEST(OnThreads, TheFirstExceptionIsThrownOnWhenAllHaveEnded) {
  std::atomic<int> ended{0}, failures{0};
  EXPECT_THROW(on_threads(
                   4,
                   [&] {
                     ++ended;
                     if (ended == 2) throw std::bad_alloc();
                   },
                   [&] { ++failures; }),
               std::bad_alloc);
  EXPECT_EQ(ended, 4);
  EXPECT_EQ(failures, 1);
}

// A thread whose root catches nothing ends the program with whatever is thrown in it.
TEST(Threads, AllHaveAGuardedRoot) {
  // They catch everything themselves: a guard, work shared among cores, blocks heard aside, tasks of lanes.
  const std::set<std::string> roots = {"guarded_thread.h", "parallel.h", "side_listener.cpp",
                                       "task_pool.cpp", "task_pool.h"};
  int seen = 0;
  for (const auto& entry :
       std::filesystem::recursive_directory_iterator(DREVAN_SOURCE_DIR "/src")) {
    const auto file = entry.path();
    if (!entry.is_regular_file() || roots.contains(file.filename().string())) continue;
    const auto all = test::bytes(file);
    const std::string text(all.begin(), all.end());
    ++seen;
    for (const char* raw : {"std::jthread(", "std::jthread{", "std::thread(", "std::thread{",
                            "std::async(", "vector<std::jthread>", "vector<std::thread>"})
      EXPECT_EQ(text.find(raw), std::string::npos) << file << " begins a thread by " << raw;
  }
  EXPECT_GT(seen, 300);
}

}  // namespace
}  // namespace drevan
