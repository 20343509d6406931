// SPDX-License-Identifier: GPL-3.0-or-later
// Average power spectrum of a sound, as a stream.
#pragma once

#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fft.h"

namespace drevan {

/// Mean over windows of 4096 samples (Hann, half overlapping) and channels. Scaled so that a
/// full-scale sine reads 0 dB in the bin of its frequency.
class SpectrumMeter {
 public:
  static constexpr int size = 4096;

  explicit SpectrumMeter(StreamFormat format);
  void hear(const AudioBlock& block);
  /// Forgets what was heard.
  void reset();

  /// Mean power per bin, size / 2 + 1 values; zeros when less than one window was heard.
  std::vector<float> power() const;
  double bin_hz() const { return rate_ / size; }

 private:
  double rate_;
  RealFft fft_{size};
  FloatVector window_ = hann_window(size);
  std::vector<FloatVector> rings_;
  FloatVector time_;
  ComplexVector bins_;
  std::vector<double> sum_;
  int filled_ = 0;
  long windows_ = 0;
};

}  // namespace drevan
