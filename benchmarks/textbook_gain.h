// SPDX-License-Identifier: GPL-3.0-or-later
// The plain textbook estimator that noise reduction is measured against.
#pragma once

#include <span>

#include "dsp/fft.h"

namespace drevan::bench {

/// Log-spectral amplitude estimator of one channel: Y. Ephraim and D. Malah, "Speech enhancement
/// using a minimum mean-square error log-spectral amplitude estimator", IEEE Trans. ASSP 33(2),
/// 1985, with their decision-directed a-priori SNR (1984), and the speech presence probability of
/// I. Cohen and B. Berdugo, "Speech enhancement for non-stationary noise environments", Signal
/// Processing 81, 2001. Where no speech is present all bins get the same gain, the floor: the room
/// stays a room, only quieter, and does not warble.
class TextbookGain {
 public:
  struct Setup {
    int bins = 1025;          ///< size / 2 + 1
    double bin_hz = 23.4375;  ///< rate / size
    double hop_s = 0.0107;    ///< seconds from one spectrum to the next
  };
  explicit TextbookGain(const Setup& setup);

  /// Mean noise power per bin, same scale as the spectra. Real-time safe.
  void set_noise(std::span<const float> power) noexcept;
  /// Least gain, as a level in dB below 0.
  void set_floor_db(double db) noexcept { floor_log2_ = static_cast<float>(db / 6.020599913); }
  void reset() noexcept;

  /// `power`: |Y|^2 per bin. Writes gains of amplitude, floor to 1, into `gain`. Call once per
  /// spectrum, in time order. Real-time safe.
  void gains(std::span<const float> power, std::span<float> gain) noexcept;

 private:
  float frame_presence() noexcept;

  int bins_;
  int local_, wide_;    // half widths of the frequency smoothing, bins
  float alpha_, beta_;  // time constants of the prior SNR and of its mean, per hop
  float floor_log2_ = 0;
  float frame_mean_ = 0, frame_peak_ = 0;
  FloatVector inverse_noise_;
  FloatVector posterior_, prior_, clean_, mean_, lsa_log2_, absent_, near_, far_;
  std::vector<double> running_;
};

}  // namespace drevan::bench
