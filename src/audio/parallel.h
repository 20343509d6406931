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

/// Calls `one(i)` for i from 0 to `count` - 1, begun in that order, on every core at once, the caller's
/// thread among them. The first exception (Cancelled too) keeps the rest from beginning and is thrown on
/// when all threads have ended. `one` must be thread-safe.
template <class One>
void on_all_cores(size_t count, const CancelToken& cancel, One&& one) {
  std::atomic<size_t> next{0};
  std::mutex mutex;
  std::exception_ptr failed;
  const auto work = [&] {
    try {
      for (size_t i = 0; (i = next++) < count;) {
        cancel.check();
        one(i);
      }
    } catch (...) {
      next = count;
      const std::lock_guard lock(mutex);
      if (!failed) failed = std::current_exception();
    }
  };
  {
    std::vector<std::jthread> helpers;
    const size_t cores = std::max(1U, std::thread::hardware_concurrency());
    for (size_t i = 1; i < std::min(cores, count); ++i) helpers.emplace_back(work);
    work();
  }
  if (failed) std::rethrow_exception(failed);
}

}  // namespace drevan
