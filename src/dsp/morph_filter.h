// SPDX-License-Identifier: GPL-3.0-or-later
// A resonant filter whose corner moves at every sample.
#pragma once

#include <cmath>
#include <numbers>

namespace drevan {

/// State-variable filter by the trapezoidal rule (V. Zavalishin, "The Art of VA Filter Design",
/// 2012, chapter 4). One channel. Real-time safe.
class MorphFilter {
 public:
  struct Out {
    double low = 0, band = 0, high = 0;  ///< the band has gain 1 at the corner
  };
  /// `g`: Svf::warped(); `q` from 0.5.
  Out process(double x, double g, double q) noexcept {
    const double k = 1 / q;
    const double high = (x - (k + g) * s1_ - s2_) / (1 + k * g + g * g);
    const double band = g * high + s1_;
    const double low = g * band + s2_;
    s1_ = g * high + band;
    s2_ = g * band + low;
    return {low, band * k, high};
  }
  void reset() noexcept { s1_ = s2_ = 0; }

 private:
  double s1_ = 0, s2_ = 0;
};

/// A first-order all-pass, by the same rule, written so that what leaves waits for what enters as
/// briefly as can be: stages stand in a row. One channel. Real-time safe.
class AllPass1 {
 public:
  /// `k`: g / (1 + g) of g as Svf::warped() gives it.
  double process(double x, double k) noexcept {
    const double turned = 2 * k - 1;
    const double y = turned * x + 2 * (1 - k) * s_;
    s_ = 2 * k * x - turned * s_;
    return y;
  }
  void reset() noexcept { s_ = 0; }

 private:
  double s_ = 0;
};

}  // namespace drevan
