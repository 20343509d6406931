// SPDX-License-Identifier: GPL-3.0-or-later
// Level detectors for dynamics.
#pragma once

#include <array>
#include <cmath>
#include <span>

namespace drevan {

/// Coefficient of a one-pole that covers 1 - 1/e of a step in `ms` (0: at once).
inline double one_pole(double ms, double rate) {
  return ms <= 0 ? 0.0 : std::exp(-1000.0 / (ms * rate));
}

/// Smooths a gain reduction in dB (>= 0) after D. Giannoulis, M. Massberg, J. D. Reiss, "Digital
/// Dynamic Range Compressor Design", JAES 60(6), 2012: the smooth decoupled peak detector, eq. 17.
/// Release acts on the maximum with the input, attack on the result. Real-time safe; the same bits for
/// any block size.
///
/// Both recursions look four samples back instead of one, so that four samples are worked out at a
/// time: y = max(x, r y1 + (1 - r) x), put into itself three times, is again the larger of something
/// that only the last inputs decide and a straight line in y4.
class DecoupledDetector {
 public:
  void set(double attack_ms, double release_ms, double rate) noexcept {
    attack_ = one_pole(attack_ms, rate);
    release_ = one_pole(release_ms, rate);
  }
  void reset() noexcept { in_ = peak_ = value_ = {}; }
  /// In place.
  void process(std::span<float> reduction) noexcept;
  double value() const noexcept { return value_[3]; }

 private:
  double attack_ = 0, release_ = 0;
  std::array<double, 4> in_{}, peak_{}, value_{};  // the last four of each, the newest last
};

/// One pole that follows up in one time and down in another; the branching detector of the same
/// paper, eq. 16: a short peak leaves it almost where it was. Real-time safe.
class BranchingDetector {
 public:
  void set(double attack_ms, double release_ms, double rate) noexcept {
    attack_ = one_pole(attack_ms, rate);
    release_ = one_pole(release_ms, rate);
  }
  void reset(double value = 0) noexcept { value_ = value; }
  double process(double in) noexcept {
    const double k = in > value_ ? attack_ : release_;
    value_ = k * value_ + (1 - k) * in;
    return value_;
  }
  double value() const noexcept { return value_; }

 private:
  double attack_ = 0, release_ = 0, value_ = 0;
};

/// Running mean square over a one-pole window. Real-time safe.
class MeanSquare {
 public:
  void set(double ms, double rate) noexcept { k_ = one_pole(ms, rate); }
  void reset() noexcept { value_ = 0; }
  double process(double x) noexcept { return process_power(x * x); }
  double process_power(double power) noexcept {
    value_ = k_ * value_ + (1 - k_) * power;
    return value_;
  }
  double value() const noexcept { return value_; }

 private:
  double k_ = 0, value_ = 0;
};

}  // namespace drevan
