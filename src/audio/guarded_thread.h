// SPDX-License-Identifier: GPL-3.0-or-later
// The root of every thread: whatever is thrown in it becomes a message, never the program's end.
#pragma once

#include <stop_token>
#include <thread>
#include <utility>

#include "audio/error.h"

namespace drevan {

/// A thread that calls `work(stop)` and, where that throws, `failed(problem)` in the same thread;
/// `failed` must not throw and is not called for Cancelled. Joined when it is destroyed, as any
/// std::jthread.
template <class Work, class Failed>
std::jthread guarded_thread(Work work, Failed failed) {
  return std::jthread(
      [work = std::move(work), failed = std::move(failed)](const std::stop_token& stop) mutable {
        try {
          work(stop);
        } catch (...) {
          if (Problem problem = caught_problem(); !problem.empty()) failed(std::move(problem));
        }
      });
}

}  // namespace drevan
