#include "dsp/fractional_delay.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"

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

// Eight sums beside each other, so that as many taps are worked out at a time.
DREVAN_CLONES float weighted(const float* x, const float* a, const float* b, float f) noexcept {
  std::array<float, 8> sums{};
  for (size_t k = 0; k < FractionalDelay::taps; k += 8)
    for (size_t lane = 0; lane < 8; ++lane)
      sums[lane] += (a[k + lane] + f * (b[k + lane] - a[k + lane])) * x[k + lane];
  for (size_t lane = 0; lane < 4; ++lane) sums[lane] += sums[lane + 4];
  return (sums[0] + sums[1]) + (sums[2] + sums[3]);
}

}  // namespace

FractionalDelay::FractionalDelay(double most) {
  const size_t size = std::bit_ceil(static_cast<size_t>(std::ceil(most)) + taps + 2);
  mask_ = size - 1;
  ring_.resize(2 * size);
  rows_ = table().data();
}

void FractionalDelay::reset() noexcept {
  std::ranges::fill(ring_, 0.0F);
  at_ = 0;
}

float FractionalDelay::read(double delay) const noexcept {
  const auto whole = static_cast<size_t>(delay);
  const double part = (delay - static_cast<double>(whole)) * phases;
  const auto p = static_cast<size_t>(part);
  const auto f = static_cast<float>(part - static_cast<double>(p));
  const Row &a = rows_[p], &b = rows_[p + 1];
  // The oldest of the taps; the middle pair stands at `whole` and `whole + 1`.
  const float* x = &ring_[(at_ - whole - taps / 2) & mask_];
  return weighted(x, a.data(), b.data(), f);
}

}  // namespace drevan
