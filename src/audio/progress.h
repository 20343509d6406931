// SPDX-License-Identifier: GPL-3.0-or-later
// Cancelling and reporting of long work.
#pragma once

#include <atomic>
#include <functional>

#include "audio/error.h"

namespace drevan {

/// Shared between who works and who may lose interest. Thread-safe.
class CancelToken {
 public:
  void cancel() noexcept { cancelled_.store(true, std::memory_order_relaxed); }
  bool cancelled() const noexcept { return cancelled_.load(std::memory_order_relaxed); }
  void check() const {
    if (cancelled()) throw Cancelled{};
  }

 private:
  std::atomic<bool> cancelled_{false};
};

/// Called with 0 to 1 from the working thread. May be empty.
using Progress = std::function<void(double)>;

}  // namespace drevan
