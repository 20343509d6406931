// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/rate_rows.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

#include "dsp/low_pass.h"

namespace drevan {

namespace {

constexpr double half = 32;  // of the slower stream's samples
constexpr double beta = 7.857;

// By a table: the rows of two rates without a common divisor are millions of weights.
double kernel(double t, double share) {
  constexpr int fine = 512;
  static const auto window = [] {
    std::vector<double> w;
    for (int i = 0; i <= static_cast<int>(half) * fine + 1; ++i) {
      const double edge = std::min(1.0, i / (half * fine));
      w.push_back(std::cyl_bessel_i(0, beta * std::sqrt(1 - edge * edge)) /
                  std::cyl_bessel_i(0, beta));
    }
    return w;
  }();
  const double at = std::abs(t) * fine;
  if (at >= half * fine) return 0;
  const auto i = static_cast<size_t>(at);
  const double angle = std::numbers::pi * t * share;
  return (std::abs(angle) < 1e-12 ? 1 : std::sin(angle) / angle) *
         std::lerp(window[i], window[i + 1], at - static_cast<double>(i));
}

}  // namespace

RateRows::RateRows(int from, int to, double share) {
  const int common = std::gcd(from, to);
  count_ = to / common;
  whole_ = from / to;
  rest_ = from / common % count_;
  const double slower = std::max(1.0, static_cast<double>(from) / to);
  taps_ = 2 * static_cast<int>(std::ceil(half * slower / 4)) * 4;
  rows_.resize(static_cast<size_t>(count_) * static_cast<size_t>(taps_));
  for (long r = 0; r < count_; ++r) {
    float* row = rows_.data() + r * taps_;
    double sum = 0;
    for (int k = 0; k < taps_; ++k) {
      const double off = k - (taps_ / 2 - 1) - static_cast<double>(r) / static_cast<double>(count_);
      const double w = kernel(off / slower, share);
      row[k] = static_cast<float>(w);
      sum += w;
    }
    for (int k = 0; k < taps_; ++k) row[k] = static_cast<float>(static_cast<double>(row[k]) / sum);
  }
}

RateRows::Place RateRows::place_of(long k) const noexcept {
  const long parts = k * (whole_ * count_ + rest_);
  Place at{.whole = parts / count_, .row = parts % count_};
  if (at.row < 0) at.row += count_, --at.whole;
  return at;
}

float RateRows::read(const float* first, const Place& at) const noexcept {
  return sum_of_taps(first, std::span(rows_).subspan(static_cast<size_t>(at.row * taps_),
                                                     static_cast<size_t>(taps_)));
}

}  // namespace drevan
