// SPDX-License-Identifier: GPL-3.0-or-later
// A second-order filter whose corner may move while it runs.
#pragma once

#include <cmath>
#include <numbers>

namespace drevan {

/// State-variable filter by the trapezoidal rule (V. Zavalishin, "The Art of VA Filter Design", 2012, chapter 4), with
/// Butterworth damping: two of its high-passes in a row make a Linkwitz-Riley high-pass of fourth order, in phase with
/// its all-pass. One channel. Real-time safe.
class Svf {
 public:
  /// tan(pi hz / rate), for all filters with one corner.
  static double warped(double hz, double rate) { return std::tan(std::numbers::pi * hz / rate); }

  struct Out {
    double high = 0, all = 0;
  };
  Out process(double x, double g) noexcept {
    const double high = (x - (2 * damping + g) * s1_ - s2_) / (1 + 2 * damping * g + g * g);
    const double band = g * high + s1_;
    const double low = g * band + s2_;
    s1_ = g * high + band;
    s2_ = g * band + low;
    return {high, low + high - 2 * damping * band};
  }
  void reset() noexcept { s1_ = s2_ = 0; }

 private:
  static constexpr double damping = std::numbers::sqrt2 / 2;
  double s1_ = 0, s2_ = 0;
};

}  // namespace drevan
