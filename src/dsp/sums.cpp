#include "dsp/sums.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr size_t lanes = 8;

DREVAN_CLONES double products(const float* __restrict a, const float* __restrict b,
                              size_t n) noexcept {
  std::array<double, lanes> total{};
  size_t i = 0;
  while (i + lanes <= n) {
    std::array<float, lanes> part{};
    const size_t end = std::min(n - n % lanes, i + 8 * lanes);
    for (; i < end; i += lanes)
      for (size_t l = 0; l < lanes; ++l) part[l] += a[i + l] * b[i + l];
    for (size_t l = 0; l < lanes; ++l) total[l] += static_cast<double>(part[l]);
  }
  double rest = 0;
  for (; i < n; ++i) rest += static_cast<double>(a[i] * b[i]);
  for (const double t : total) rest += t;
  return rest;
}

DREVAN_CLONES float largest(const float* __restrict x, size_t n) noexcept {
  std::array<float, lanes> most{};
  size_t i = 0;
  for (; i + lanes <= n; i += lanes)
    for (size_t l = 0; l < lanes; ++l) {
      const float v = std::abs(x[i + l]);
      most[l] = most[l] < v ? v : most[l];
    }
  float all = 0;
  for (; i < n; ++i) all = all < std::abs(x[i]) ? std::abs(x[i]) : all;
  for (const float m : most) all = std::max(all, m);
  return all;
}

}  // namespace

double sum_of_squares(std::span<const float> x) noexcept { return products(x.data(), x.data(), x.size()); }

double sum_of_products(std::span<const float> a, std::span<const float> b) noexcept {
  return products(a.data(), b.data(), std::min(a.size(), b.size()));
}

float largest_magnitude(std::span<const float> x) noexcept { return largest(x.data(), x.size()); }

}  // namespace drevan
