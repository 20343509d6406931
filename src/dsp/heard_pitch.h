// SPDX-License-Identifier: GPL-3.0-or-later
// The pitch of a voice that leaves a step which is late.
#pragma once

#include <cmath>
#include <vector>

#include "dsp/voice_pitch.h"

namespace drevan {

/// Hears what enters, tells the pitch of what leaves `late` frames later (0.1 s at least, 1 s at
/// most), in Hz; 0: no voice. Real-time safe but for construction.
class HeardPitch {
 public:
  HeardPitch(double rate, Samples late)
      : rate_(rate),
        late_(late),
        decimator_(rate),
        pitch_(rate / decimator_.factor()),
        hz_(mask + 1) {}
  void reset() noexcept {
    decimator_.reset();
    pitch_.reset();
    frame_ = 0;
    low_count_ = count_ = 0;
  }
  void hear(float x) noexcept {
    ++frame_;
    float low = 0;
    if (!decimator_.process(x, low)) return;
    ++low_count_;
    if (!pitch_.process(low)) return;
    const double period = pitch_.period() * decimator_.factor();
    const auto known = std::lround(static_cast<double>(low_count_ - pitch_.late()) / pitch_.hop());
    while (count_ <= known)
      hz_[static_cast<size_t>(count_++) & mask] = period > 0 ? rate_ / period : 0;
  }
  double hz() const noexcept {
    const double low_at =
        (static_cast<double>(frame_ - late_) + decimator_.late()) / decimator_.factor() - 1;
    const auto i = std::lround(low_at / pitch_.hop());
    return i < 0 || i >= count_ ? 0 : hz_[static_cast<size_t>(i) & mask];
  }

 private:
  static constexpr size_t mask = 255;
  double rate_;
  Samples late_, frame_ = 0;
  Decimator decimator_;
  VoicePitch pitch_;
  std::vector<double> hz_;  // one a hop
  long low_count_ = 0, count_ = 0;
};

}  // namespace drevan
