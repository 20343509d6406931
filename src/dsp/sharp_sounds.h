// SPDX-License-Identifier: GPL-3.0-or-later
// The s and t of a voice, apart from the rest.
#pragma once

#include <algorithm>
#include <cmath>

#include "dsp/biquad.h"
#include "dsp/envelope.h"

namespace drevan {

/// Lets what lies above 5 kHz through while it is a large part of the sound. Real-time safe.
class SharpSounds {
 public:
  explicit SharpSounds(double rate) {
    const auto c = design_biquad(BiquadKind::high_pass, 5000, butterworth_q(2, 0), 0, rate);
    filter_.set(c);
    high_.set(2, 25, rate);
    all_.set(2, 25, rate);
  }
  void reset() noexcept {
    filter_.reset();
    high_.reset();
    all_.reset();
  }
  double process(double x) noexcept {
    const double y = filter_.process(x);
    const double share = high_.process(std::abs(y)) / (all_.process(std::abs(x)) + 1e-9);
    return y * std::clamp((share - 0.25) / 0.25, 0.0, 1.0);
  }

 private:
  Biquad filter_;
  BranchingDetector high_, all_;
};

}  // namespace drevan
