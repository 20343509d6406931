// SPDX-License-Identifier: GPL-3.0-or-later
// The pitch that a voice has in the mean.
#pragma once

#include <algorithm>
#include <cmath>

#include "dsp/voice_pitch.h"

namespace drevan {

/// Mean of the voice's pitch over the last three seconds of it, in Hz, counted in octaves; 120
/// before there was a voice. Real-time safe but for construction.
class SteadyPitch {
 public:
  explicit SteadyPitch(double rate) : decimator_(rate), pitch_(rate / decimator_.factor()) {
    rate_ = rate / decimator_.factor();
  }
  void reset() noexcept {
    decimator_.reset();
    pitch_.reset();
    log_hz_ = std::log2(120.0);
    heard_ = 0;
  }
  double hear(float x) noexcept {
    float low = 0;
    if (decimator_.process(x, low) && pitch_.process(low) && pitch_.period() > 0) {
      // A plain mean at first, then one of about three seconds.
      heard_ = std::min(heard_ + 1, 600);
      log_hz_ += (std::log2(rate_ / pitch_.period()) - log_hz_) / heard_;
    }
    return std::exp2(log_hz_);
  }

 private:
  Decimator decimator_;
  VoicePitch pitch_;
  double rate_ = 8000, log_hz_ = std::log2(120.0);
  int heard_ = 0;
};

}  // namespace drevan
