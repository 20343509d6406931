// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/sinc_interpolator.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace drevan {

namespace {

constexpr int phases = 4096;    // a straight line between them is 150 dB true
constexpr double beta = 10.06;  // Kaiser: 0.1102 (A - 8.7) for A = 100 dB
// The transition is (A - 8) / (2.285 * 128 taps) wide; the corner lies half of it below half the rate.
constexpr double corner =
    1 - (100 - 8) / (2.285 * 2 * SincInterpolator::crossings) / (2 * std::numbers::pi);

// The right half of the kernel at places of 1 / phases zero crossings.
const std::vector<double>& kernel() {
  static const std::vector<double> table = [] {
    std::vector<double> t(static_cast<size_t>(SincInterpolator::crossings * phases + 2));
    for (size_t i = 0; i < t.size(); ++i) {
      const double x = static_cast<double>(i) / phases, share = x / SincInterpolator::crossings;
      const double window = share < 1 ? std::cyl_bessel_i(0, beta * std::sqrt(1 - share * share)) /
                                            std::cyl_bessel_i(0, beta)
                                      : 0;
      const double angle = std::numbers::pi * x * corner;
      t[i] = window * corner * (i == 0 ? 1 : std::sin(angle) / angle);
    }
    return t;
  }();
  return table;
}

}  // namespace

double SincInterpolator::at(std::span<const float> x, double place, double pace) {
  const double scale = pace > 1 ? 1 / pace : 1;  // of the kernel: wider where the sound runs faster
  const auto& table = kernel();
  const double half = crossings / scale;
  const auto first = static_cast<long>(std::ceil(place - half)),
             last = static_cast<long>(std::floor(place + half));
  double sum = 0;
  for (long i = std::max(first, 0L); i <= std::min(last, static_cast<long>(x.size()) - 1); ++i) {
    const double at = std::abs(static_cast<double>(i) - place) * scale * phases;
    const auto k = static_cast<size_t>(at);
    const double f = at - static_cast<double>(k);
    sum +=
        static_cast<double>(x[static_cast<size_t>(i)]) * (table[k] + f * (table[k + 1] - table[k]));
  }
  return sum * scale;
}

}  // namespace drevan
