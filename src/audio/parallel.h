// SPDX-License-Identifier: GPL-3.0-or-later
// Many pieces of work, one a core at a time.
#pragma once

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

#include "audio/progress.h"

namespace drevan {

/// Calls `work()` on `count` threads, the caller's among them. Returns when all have ended; the first
/// exception is thrown on then. `failed()` is called for it at once, where it was thrown.
template <class Work, class Failed>
void on_threads(size_t count, Work&& work, Failed&& failed) {
  std::mutex mutex;
  std::exception_ptr first;
  const auto guarded = [&] {
    try {
      work();
    } catch (...) {
      failed();
      const std::lock_guard lock(mutex);
      if (!first) first = std::current_exception();
    }
  };
  {
    std::vector<std::jthread> helpers;
    for (size_t i = 1; i < count; ++i) helpers.emplace_back(guarded);
    guarded();
  }
  if (first) std::rethrow_exception(first);
}

/// Calls `one(i)` for i from 0 to `count` - 1, begun in that order, on every core at once, the caller's
/// thread among them. The first exception (Cancelled too) keeps the rest from beginning and is thrown on
/// when all threads have ended. `one` must be thread-safe.
template <class One>
void on_all_cores(size_t count, const CancelToken& cancel, One&& one) {
  std::atomic<size_t> next{0};
  const size_t cores = std::max(1U, std::thread::hardware_concurrency());
  on_threads(
      std::min(cores, count),
      [&] {
        for (size_t i = 0; (i = next++) < count;) {
          cancel.check();
          one(i);
        }
      },
      [&] { next = count; });
}

}  // namespace drevan
