// Measuring and writing beside the sound that is made.
#pragma once

#include <atomic>
#include <exception>
#include <functional>
#include <mutex>
#include <optional>
#include <vector>

#include "engine/side_listener.h"

namespace drevan {

/// What is done with blocks beside making them: at once, or on another thread (see SideListener,
/// whose lines they are). What it throws there is thrown by the next tell() or finish() here.
class Aside {
 public:
  using Hear = std::function<void(const AudioBlock&)>;
  /// `widest`: the format of the widest line.
  Aside(StreamFormat widest, bool on_a_thread, std::vector<Hear> hear)
      : hear_(std::move(hear)), longest_(widest.max_block) {
    if (on_a_thread)
      side_.emplace(widest, [this](size_t line, const AudioBlock& b) {
        if (failed_.load(std::memory_order_acquire)) return;
        try {
          hear_[line](b);
        } catch (...) {
          const std::lock_guard lock(mutex_);
          if (!failure_) failure_ = std::current_exception();
          failed_.store(true, std::memory_order_release);
        }
      });
  }
  Aside(const Aside&) = delete;
  Aside& operator=(const Aside&) = delete;

  void tell(size_t line, const AudioBlock& b) {
    if (!side_) return hear_[line](b);
    if (failed_.load(std::memory_order_acquire)) fail();
    // The last of what rings may come as one long block.
    for (int at = 0; at < b.frames(); at += longest_)
      side_->tell(line, b.part(at, std::min(longest_, b.frames() - at)));
  }
  /// Returns when all was heard.
  void finish() {
    if (!side_) return;
    side_->finish();
    if (failed_) fail();
  }

 private:
  [[noreturn]] void fail() {
    const std::lock_guard lock(mutex_);
    std::rethrow_exception(failure_);
  }

  std::vector<Hear> hear_;
  int longest_;
  std::atomic<bool> failed_ = false;
  std::mutex mutex_;
  std::exception_ptr failure_;
  std::optional<SideListener> side_;  // last: its threads end first
};

}  // namespace drevan
