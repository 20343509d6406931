// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/piece_reader.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr int half = 16, phases = 128;
constexpr double beta = 8;

// Weights for paces up to one: rows by how far between two samples. A faster one reads a kernel
// that is as much wider.
struct Table {
  int taps;
  std::vector<float> rows;  // (phases + 1) x taps
};

Table make_table(double pace) {
  const double scale = std::max(1.0, pace);
  Table t{2 * static_cast<int>(std::ceil(half * scale / 4)) * 4, {}};
  const int reach = t.taps / 2;
  for (int p = 0; p <= phases; ++p) {
    const size_t first = t.rows.size();
    double sum = 0;
    for (int k = 0; k < t.taps; ++k) {
      const double at = (k - (reach - 1) - static_cast<double>(p) / phases) / scale;
      const double edge = std::clamp(at / half, -1.0, 1.0);
      const double window =
          std::cyl_bessel_i(0, beta * std::sqrt(1 - edge * edge)) / std::cyl_bessel_i(0, beta);
      const double cut = scale > 1 ? 0.92 : 1.0, angle = std::numbers::pi * at * cut;
      const double w = (std::abs(angle) < 1e-12 ? 1 : std::sin(angle) / angle) * window;
      t.rows.push_back(static_cast<float>(w));
      sum += w;
    }
    for (size_t i = first; i < t.rows.size(); ++i)
      t.rows[i] = static_cast<float>(static_cast<double>(t.rows[i]) / sum);
  }
  return t;
}

// One for every three semitones of pace above 1.
constexpr int steps_an_octave = 4, table_count = 2 * steps_an_octave + 1;
const std::array<Table, table_count>& tables() {
  static const auto made = [] {
    std::array<Table, table_count> all;
    for (int i = 0; i < table_count; ++i)
      all[static_cast<size_t>(i)] = make_table(std::exp2(static_cast<double>(i) / steps_an_octave));
    return all;
  }();
  return made;
}

DREVAN_CLONES void read_steady(const float* __restrict x, const float* __restrict weights, int taps,
                               float* __restrict out, size_t n) noexcept {
  std::fill_n(out, n, 0.0F);
  for (int k = 0; k < taps; ++k)
    for (size_t i = 0; i < n; ++i) out[i] += weights[k] * x[i + static_cast<size_t>(k)];
}

DREVAN_CLONES float read_one(const float* __restrict x, const float* __restrict a,
                             const float* __restrict b, float f, int taps) noexcept {
  std::array<float, 8> sums{};
  for (int k = 0; k < taps; k += 8)
    for (int lane = 0; lane < 8; ++lane)
      sums[static_cast<size_t>(lane)] +=
          (a[k + lane] + f * (b[k + lane] - a[k + lane])) * x[k + lane];
  for (size_t lane = 0; lane < 4; ++lane) sums[lane] += sums[lane + 4];
  return (sums[0] + sums[1]) + (sums[2] + sums[3]);
}

}  // namespace

void prepare_pieces() { tables(); }

void read_piece(const float* x, double place, double pace, std::span<float> out) noexcept {
  const double whole = std::floor(place);
  if (pace == 1 && place - whole == 0) {
    std::copy_n(x + static_cast<std::ptrdiff_t>(whole), out.size(), out.begin());
    return;
  }
  const auto step = static_cast<int>(std::lround(std::log2(std::max(pace, 1.0)) * steps_an_octave));
  const Table& t = tables()[static_cast<size_t>(std::clamp(step, 0, table_count - 1))];
  const auto taps = static_cast<size_t>(t.taps);
  const auto row = [&](double part, float& f) {
    const double p = part * phases;
    const auto i = std::min(static_cast<size_t>(p), static_cast<size_t>(phases - 1));
    f = static_cast<float>(p - static_cast<double>(i));
    return t.rows.data() + i * taps;
  };
  const auto first = [&](double at) {
    return x + static_cast<std::ptrdiff_t>(at) - (t.taps / 2 - 1);
  };
  float f = 0;
  if (pace == 1) {
    const float* a = row(place - whole, f);
    std::array<float, 64> weights{};
    for (size_t k = 0; k < taps; ++k) weights[k] = a[k] + f * (a[k + taps] - a[k]);
    read_steady(first(whole), weights.data(), t.taps, out.data(), out.size());
    return;
  }
  for (size_t i = 0; i < out.size(); ++i) {
    const double at = place + static_cast<double>(i) * pace, below = std::floor(at);
    const float* a = row(at - below, f);
    out[i] = read_one(first(below), a, a + taps, f, t.taps);
  }
}

}  // namespace drevan
