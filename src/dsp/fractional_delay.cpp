// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/fractional_delay.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <numbers>

#include "dsp/clones.h"
#include "dsp/eight.h"

namespace drevan {

namespace {

constexpr int phases = 512;
constexpr double beta = 9;
using Row = std::array<float, FractionalDelay::taps>;

// Row p: weights of the samples around a place that lies p/phases behind the middle one.
const std::array<Row, phases + 1>& table() {
  static const auto made = [] {
    std::array<Row, phases + 1> rows{};
    constexpr int half = FractionalDelay::taps / 2;
    for (int p = 0; p <= phases; ++p) {
      double sum = 0;
      std::array<double, FractionalDelay::taps> w{};
      for (int k = 0; k < FractionalDelay::taps; ++k) {
        // From the oldest to the newest.
        const double t = k - (half - 1) - (1 - static_cast<double>(p) / phases);
        const double window_at = std::clamp(t / half, -1.0, 1.0);
        const double window = std::cyl_bessel_i(0, beta * std::sqrt(1 - window_at * window_at)) /
                              std::cyl_bessel_i(0, beta);
        const double sinc =
            std::abs(t) < 1e-12 ? 1 : std::sin(std::numbers::pi * t) / (std::numbers::pi * t);
        w[static_cast<size_t>(k)] = sinc * window;
        sum += w[static_cast<size_t>(k)];
      }
      for (size_t k = 0; k < w.size(); ++k)
        rows[static_cast<size_t>(p)][k] = static_cast<float>(w[k] / sum);
    }
    return rows;
  }();
  return made;
}

constexpr size_t taps = FractionalDelay::taps, most_run = FractionalDelay::most_run;

// Eight sums beside each other, so that as many taps are worked out at a time; the upper four are
// added to the lower.
inline __attribute__((always_inline)) void weigh(const float* x, const Row* rows, float f,
                                                 Four& out) noexcept {
  Eight sums{};
  for (size_t k = 0; k < taps; k += 8) {
    Eight in, a, b;
    load(in, x + k);
    load(a, rows[0].data() + k);
    load(b, rows[1].data() + k);
    sums += (a + f * (b - a)) * in;
  }
  const Four low = __builtin_shufflevector(sums, sums, 0, 1, 2, 3);
  out = low + __builtin_shufflevector(sums, sums, 4, 5, 6, 7);
}

// Four places at a time. `newest`: where frame 0 stands in the ring.
DREVAN_CLONES void read_places(const float* __restrict ring, size_t mask, size_t newest,
                               const Row* rows, const double* __restrict delays,
                               float* __restrict out, size_t n) noexcept {
  std::array<std::int32_t, most_run> back, row;
  std::array<float, most_run> part;
  for (size_t i = 0; i < n; ++i) {
    back[i] = static_cast<std::int32_t>(delays[i]);
    const double fine = (delays[i] - back[i]) * phases;
    row[i] = static_cast<std::int32_t>(fine);
    part[i] = static_cast<float>(fine - row[i]);
  }
  const auto weigh_at = [&](size_t i, Four& sum) {
    // The oldest of the taps; the middle pair stands at `back` and the one before it.
    const size_t first = (newest + i - static_cast<size_t>(back[i]) - taps / 2) & mask;
    weigh(ring + first, rows + row[i], part[i], sum);
  };
  for (size_t i = 0; i < n; i += 4) {
    Four s[4]{};  // NOLINT
    for (size_t j = 0; j < std::min<size_t>(4, n - i); ++j) weigh_at(i + j, s[j]);
    // Turned, so that four sums end at a time.
    const Four a = __builtin_shufflevector(s[0], s[1], 0, 4, 1, 5);
    const Four b = __builtin_shufflevector(s[2], s[3], 0, 4, 1, 5);
    const Four c = __builtin_shufflevector(s[0], s[1], 2, 6, 3, 7);
    const Four d = __builtin_shufflevector(s[2], s[3], 2, 6, 3, 7);
    const Four sum =
        (__builtin_shufflevector(a, b, 0, 1, 4, 5) + __builtin_shufflevector(a, b, 2, 3, 6, 7)) +
        (__builtin_shufflevector(c, d, 0, 1, 4, 5) + __builtin_shufflevector(c, d, 2, 3, 6, 7));
    std::memcpy(out + i, &sum, sizeof(float) * std::min<size_t>(4, n - i));
  }
}

}  // namespace

FractionalDelay::FractionalDelay(double most) {
  const size_t size = std::bit_ceil(static_cast<size_t>(std::ceil(most)) + taps + 2 + most_run);
  mask_ = size - 1;
  ring_.resize(2 * size);
  rows_ = table().data();
}

void FractionalDelay::reset() noexcept {
  std::ranges::fill(ring_, 0.0F);
  at_ = 0;
}

float FractionalDelay::read(double delay) const noexcept {
  float out = 0;
  read({&delay, 1}, {&out, 1});
  return out;
}

void FractionalDelay::read(std::span<const double> delays, std::span<float> out) const noexcept {
  const size_t n = std::min(delays.size(), most_run);
  read_places(ring_.data(), mask_, at_ - (n - 1), rows_, delays.data(), out.data(), n);
}

}  // namespace drevan
