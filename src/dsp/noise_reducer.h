// SPDX-License-Identifier: GPL-3.0-or-later
// How much of each spectrum is noise: the estimator behind noise reduction. Spectra go in, the same
// spectra with the noise lowered come out, delay() calls later. Transforms and overlap-add are the
// step's business, so that the estimator can be replaced.
#pragma once

#include <array>
#include <complex>
#include <span>

#include "audio/decibel.h"
#include "dsp/fft.h"
#include "dsp/noise_profile.h"
#include "dsp/stft.h"

namespace drevan {

/// One channel. Real-time safe but for construction; the same result for any block size.
///
/// The a-priori SNR of a bin is the larger of two decision-directed estimates (Y. Ephraim and
/// D. Malah, "Speech enhancement using a minimum mean-square error short-time spectral amplitude
/// estimator", IEEE Trans. ASSP 32(6), 1984), one running forward and one running backward from up
/// to half a second ahead: the past knows how a word ends, the future how it begins (the use of
/// future spectra: I. Cohen, "Relaxed statistical model for speech enhancement and a priori SNR
/// estimation", IEEE Trans. SAP 13(5), 2005). It is refined twice by its own Wiener gain, which
/// takes the lag out of it (C. Plapous, C. Marro, P. Scalart, "Improved signal-to-noise ratio
/// estimation for speech enhancement", IEEE Trans. ASLP 14(6), 2006).
///
/// The gain goes from the Wiener gain to the floor by presence: of speech around the bin (mean SNR
/// over some 940 Hz), and of anything but noise in the spectrum as a whole. The latter asks whether any third-octave band stands out of the room tone by more than the room
/// tone itself ever does. Where nothing does, every bin gets the floor and nothing else: the room
/// stays the room, only quieter, and cannot warble.
class NoiseReducer {
 public:
  struct Setup {
    int bins = 1025;          ///< size / 2 + 1
    double bin_hz = 23.4375;  ///< rate / size
    double hop_s = 0.0107;    ///< seconds from one spectrum to the next
  };
  explicit NoiseReducer(const Setup& setup);

  /// Spectra by which the output is late.
  static constexpr int delay() { return ring_frames - 1; }

  /// `profile` of this setup's bins and bands; `lift`: the noise's power is taken times this.
  /// Heard at once. Without a profile (an empty one) spectra pass unchanged.
  void set_noise(std::span<const float> power, std::span<const float> spread, float lift) noexcept;
  void clear_noise() noexcept { known_ = false; }
  /// Least gain, dB, 0 or below. Heard at once.
  void set_floor_db(double db) noexcept { floor_ = static_cast<float>(from_db(db)); }
  void reset() noexcept;

  /// In place: takes the newest spectrum, gives the one delay() calls ago. Once per hop. Where one gain
  /// is all that is asked for, says so and leaves the spectrum as it came.
  std::optional<OneGain> process(std::span<std::complex<float>> bins) noexcept;

  /// Gains of amplitude of the spectrum that process() gave last, per bin.
  std::span<const float> gains() const { return gain_; }
  size_t bands() const { return bands_.size(); }

 private:
  static constexpr int block_frames = 32;  // estimated at a time
  static constexpr int ahead_frames = 16;  // heard beyond them
  static constexpr int ring_frames = block_frames + ahead_frames;
  static constexpr int history = 64;  // of band excesses, a power of two above ring_frames + 10

  std::span<float> row(FloatVector& v, long t) noexcept;
  float& excess(long t, size_t band) noexcept;
  float& activity(long t) noexcept;
  void forward(long t) noexcept;
  void estimate(long begin, long end) noexcept;
  void find_activity(long begin, long end) noexcept;
  bool stands_out(long t) noexcept;
  bool shape(long t) noexcept;
  void spread_presence(std::span<const float> prior, float activity) noexcept;

  int bins_, box_;
  float floor_ = 1;
  bool known_ = false, renewed_ = false;
  long time_ = 0, block_end_ = 0;
  std::vector<BinRange> bands_;
  FloatVector inverse_noise_, inverse_spread_, alpha_;
  ComplexVector spectra_;                   // ring_frames x bins
  FloatVector power_, prior_;               // ring_frames x bins; prior: forward, then final
  FloatVector clean_ahead_, clean_behind_;  // state of the two recursions
  FloatVector boxes_, five_, steps_, share_, gain_;
  std::vector<float> excess_;  // history x bands
  std::array<float, ring_frames> activity_{};
};

}  // namespace drevan
