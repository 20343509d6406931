// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring and writing beside the sound that is made.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "engine/rendering/side_listener.h"

namespace drevan {

/// What is done with blocks beside making them: at once, or on another thread (see SideListener,
/// whose lines they are, and which throws on what is thrown there).
class Aside {
 public:
  using Hear = std::function<void(const AudioBlock&)>;
  /// `widest`: the format of the widest line.
  Aside(StreamFormat widest, bool on_a_thread, std::vector<Hear> hear)
      : hear_(std::move(hear)), longest_(widest.max_block) {
    if (on_a_thread)
      side_.emplace(widest, [this](size_t line, const AudioBlock& b) { hear_[line](b); });
  }
  Aside(const Aside&) = delete;
  Aside& operator=(const Aside&) = delete;

  void tell(size_t line, const AudioBlock& b) {
    if (!side_) return hear_[line](b);
    // The last of what rings may come as one long block.
    for (int at = 0; at < b.frames(); at += longest_)
      side_->tell(line, b.part(at, std::min(longest_, b.frames() - at)));
  }
  /// Returns when all was heard.
  void finish() {
    if (side_) side_->finish();
  }

 private:
  std::vector<Hear> hear_;
  int longest_;
  std::optional<SideListener> side_;  // last: its threads end first
};

}  // namespace drevan
