// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/low_pass.h"

#include <array>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

DREVAN_CLONES float dot(const float* __restrict a, const float* __restrict b, size_t n) noexcept {
  std::array<float, 8> sums{};
  size_t i = 0;
  for (; i + 8 <= n; i += 8)
    for (size_t lane = 0; lane < 8; ++lane) sums[lane] += a[i + lane] * b[i + lane];
  float rest = 0;
  for (; i < n; ++i) rest += a[i] * b[i];
  for (size_t lane = 0; lane < 4; ++lane) sums[lane] += sums[lane + 4];
  return rest + (sums[0] + sums[1]) + (sums[2] + sums[3]);
}

}  // namespace

std::vector<float> low_pass_taps(double cut, int half) {
  std::vector<double> weights;
  double sum = 0;
  for (int k = -half; k <= half; ++k) {
    const double t = 2 * std::numbers::pi * cut * k;
    const double window = 0.54 + 0.46 * std::cos(std::numbers::pi * k / (half + 1));
    weights.push_back((k == 0 ? 1 : std::sin(t) / t) * window);
    sum += weights.back();
  }
  std::vector<float> taps;
  for (const double w : weights) taps.push_back(static_cast<float>(w / sum));
  return taps;
}

float sum_of_taps(const float* x, std::span<const float> taps) noexcept {
  return dot(x, taps.data(), taps.size());
}

}  // namespace drevan
