// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/sums.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr size_t lanes = 8;

// Registers of eight, told to the compiler: an array of them would go through memory with every
// sample.
using Eight = float __attribute__((vector_size(lanes * sizeof(float))));

DREVAN_CLONES double products(const float* __restrict a, const float* __restrict b,
                              size_t n) noexcept {
  std::array<double, lanes> total{};
  size_t i = 0;
  while (i + lanes <= n) {
    Eight part{};
    const size_t end = std::min(n - n % lanes, i + 8 * lanes);
    for (; i < end; i += lanes) {
      Eight x, y;
      std::memcpy(&x, a + i, sizeof x);
      std::memcpy(&y, b + i, sizeof y);
      part += x * y;
    }
    for (size_t l = 0; l < lanes; ++l) total[l] += static_cast<double>(part[l]);
  }
  double rest = 0;
  for (; i < n; ++i) rest += static_cast<double>(a[i] * b[i]);
  for (const double t : total) rest += t;
  return rest;
}

// Magnitudes are in the order of their bits.
DREVAN_CLONES std::uint32_t largest_bits(const float* __restrict x, size_t n) noexcept {
  std::uint32_t most = 0;
  for (size_t i = 0; i < n; ++i)
    most = std::max(most, std::bit_cast<std::uint32_t>(x[i]) & 0x7FFFFFFFU);
  return most;
}

// Eight lanes side by side: a single minimum would wait for the one before it.
DREVAN_CLONES void least_and_most(const float* __restrict x, size_t n, float* least,
                                  float* most) noexcept {
  std::array<float, lanes> low{}, high{};
  low.fill(x[0]);
  high.fill(x[0]);
  size_t i = 0;
  for (; i + lanes <= n; i += lanes)
    for (size_t l = 0; l < lanes; ++l) {
      low[l] = x[i + l] < low[l] ? x[i + l] : low[l];
      high[l] = x[i + l] > high[l] ? x[i + l] : high[l];
    }
  *least = *std::ranges::min_element(low);
  *most = *std::ranges::max_element(high);
  for (; i < n; ++i) {
    *least = std::min(*least, x[i]);
    *most = std::max(*most, x[i]);
  }
}

}  // namespace

std::pair<float, float> least_and_most(std::span<const float> x) noexcept {
  float least = 0, most = 0;
  if (!x.empty()) least_and_most(x.data(), x.size(), &least, &most);
  return {least, most};
}

double sum_of_squares(std::span<const float> x) noexcept {
  return products(x.data(), x.data(), x.size());
}

double sum_of_products(std::span<const float> a, std::span<const float> b) noexcept {
  return products(a.data(), b.data(), std::min(a.size(), b.size()));
}

float largest_magnitude(std::span<const float> x) noexcept {
  return std::bit_cast<float>(largest_bits(x.data(), x.size()));
}

}  // namespace drevan
