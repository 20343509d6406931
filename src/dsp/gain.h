// SPDX-License-Identifier: GPL-3.0-or-later
// A gain that glides.
#pragma once

#include "audio/buffer.h"
#include "audio/decibel.h"
#include "dsp/smoothed.h"

namespace drevan {

/// Multiplies a stream by a gain that glides to its goal, to within 1/e in `ms`. Real-time safe.
class GlidingGain {
 public:
  void prepare(double rate, double db, double ms = 5) { gain_.prepare(rate, ms, from_db(db)); }
  void set_db(double db) noexcept { gain_.set(from_db(db)); }
  /// Ends a glide at once.
  void settle() noexcept { gain_.jump(gain_.goal()); }
  void process(const AudioBlock& block) noexcept {
    int i = 0;
    for (; i < block.frames() && gain_.moving(); ++i) {
      const auto g = static_cast<float>(gain_.next());
      for (int c = 0; c < block.channels(); ++c) block.channel(c)[static_cast<size_t>(i)] *= g;
    }
    const auto g = static_cast<float>(gain_.value());
    if (g == 1.0F) return;
    for (int c = 0; c < block.channels(); ++c)
      for (float& x : block.channel(c).subspan(static_cast<size_t>(i))) x *= g;
  }

 private:
  Smoothed gain_;
};

}  // namespace drevan
