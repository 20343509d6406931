// SPDX-License-Identifier: GPL-3.0-or-later
// A voice over the air: modulated onto a carrier, through fading and noise, and received.
#pragma once

#include <array>
#include <complex>

#include "audio/buffer.h"
#include "dsp/biquad.h"
#include "dsp/envelope.h"

namespace drevan {

/// How a system sends. All in Hz. Of a stream too slow for it, deviation and channel are narrower.
struct RadioSystem {
  bool frequency = false;    ///< FM; else AM with its carrier
  double deviation_hz = 0;   ///< FM: at full modulation
  double channel_hz = 9000;  ///< width of the receiver's filter
  bool selective = false;    ///< fading reaches it by two ways, and takes some of it more
};

/// What happens on the way; may be set at any time.
struct RadioPath {
  double signal_db = 30;  ///< carrier against the noise within the channel
  double fading = 0;      ///< 0: steady, 1: Rayleigh's
  double fades_hz = 0.4;  ///< how fast it fades
  double off_hz = 0;      ///< how far the receiver is tuned off
  double station = 0;     ///< amplitude of another station against this one's
};

/// One channel, as complex amplitudes about the carrier (A. B. Carlson, "Communication systems";
/// S. Haykin, "Communication systems"). Fading is W. C. Jakes' sum of waves ("Microwave mobile
/// communications", 1974). All of it goes by the frame, the same each time. Real-time safe.
class RadioChannel {
 public:
  RadioChannel(double rate, const RadioSystem& system, int number);
  void reset() noexcept;
  /// The next frame is this one.
  void place(Samples frame) noexcept;
  /// One frame: `x` modulates fully at 1; `carrier`: 0 where nobody sends. What the receiver gives,
  /// at the same scale.
  double pass(double x, double carrier, const RadioPath& path) noexcept;
  /// AM: how deep the carrier is modulated at 1.
  static constexpr double am_depth = 0.8;
  double deviation_hz() const noexcept { return deviation_; }
  /// Of the receiver's filter for noise, Hz.
  double noise_hz() const noexcept { return noise_hz_; }

 private:
  using Complex = std::complex<double>;
  static constexpr int grid = 64;
  void aim(const RadioPath& path) noexcept;
  Complex send(double x, double carrier) noexcept;
  Complex other_station() noexcept;
  double receive(Complex z) noexcept;

  double rate_;
  RadioSystem system_;
  int number_;
  double deviation_, noise_hz_;
  std::array<Biquad, 4> filter_;  // two of the real, two of the imaginary part
  double phase_ = 0, tuned_ = 0;
  double signal_db_ = 1e9, noise_ = 0;  // the noise's amplitude at that signal
  Complex last_{1, 0};
  std::array<Complex, 2> gains_{}, gain_steps_{};  // of the two ways
  std::array<Complex, 512> past_{};                // what was sent
  size_t late_ = 0;
  Samples frame_ = 0;
  bool fresh_ = true;
  MeanSquare mean_;  // of the envelope itself, for AM's gain
};

}  // namespace drevan
