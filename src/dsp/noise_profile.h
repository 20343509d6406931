// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of a noise: learned from spectra in which nothing but the noise is heard.
#pragma once

#include <span>
#include <vector>

namespace drevan {

/// Bins [begin, end).
struct BinRange {
  int begin = 0, end = 0;
};

/// Third-octave bands of at least three bins, from 60 Hz up to 20 kHz: wide enough that a band's
/// power over the noise's is a steady measure of whether anything else is there.
std::vector<BinRange> noise_bands(int bins, double bin_hz);

/// A noise of one channel. Plain values, so that they can be kept as a finding.
struct NoiseProfile {
  std::vector<float> power;   ///< mean |Y|^2 per bin
  std::vector<float> spread;  ///< per band: how much its ratio to the mean wavers, see NoiseReducer
};

/// Mean over the bins of a band of power over noise, less 1; single bins count 50 at the most.
float band_excess(BinRange band, std::span<const float> power,
                  std::span<const float> inverse_noise);

/// Weights of the seven neighbouring spectra over which band_excess() is averaged; they sum to 1.
std::span<const float> excess_weights();

/// Hears power spectra, in time order, then tells.
class NoiseProfiler {
 public:
  NoiseProfiler(int bins, double bin_hz);
  void hear(std::span<const float> power);
  /// Empty when nothing was heard or all was digital silence.
  NoiseProfile profile() const;

 private:
  // Beyond this many spectra (some eight seconds) the spread is known well enough.
  static constexpr size_t most_kept = 800;

  int bins_;
  double bin_hz_;
  std::vector<double> sum_;
  std::vector<float> kept_;  // spectra one after the other
  long heard_ = 0;
};

}  // namespace drevan
