// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/noise_profile.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr std::array<float, 7> weights{1 / 16.0F, 2 / 16.0F, 3 / 16.0F, 4 / 16.0F,
                                       3 / 16.0F, 2 / 16.0F, 1 / 16.0F};

}  // namespace

std::span<const float> excess_weights() { return weights; }

std::vector<BinRange> noise_bands(int bins, double bin_hz) {
  std::vector<BinRange> out;
  int begin = static_cast<int>(std::lround(60 / bin_hz));
  for (double edge = 60 * std::cbrt(2.0); edge < 20500 && begin < bins; edge *= std::cbrt(2.0)) {
    const int end =
        std::min(bins, std::max(begin + 3, static_cast<int>(std::lround(edge / bin_hz))));
    out.push_back({begin, end});
    begin = end;
  }
  return out;
}

namespace {

// Eight sums side by side; the order is fixed, so the bits are the same on every machine.
DREVAN_CLONES float capped_sum(const float* __restrict power, const float* __restrict inverse,
                               size_t n) noexcept {
  std::array<float, 8> part{};
  size_t k = 0;
  for (; k + 8 <= n; k += 8)
    for (size_t l = 0; l < 8; ++l) part[l] += std::min(power[k + l] * inverse[k + l], 50.0F);
  float sum = 0;
  for (; k < n; ++k) sum += std::min(power[k] * inverse[k], 50.0F);
  for (const float p : part) sum += p;
  return sum;
}

}  // namespace

float band_excess(BinRange band, std::span<const float> power,
                  std::span<const float> inverse_noise) {
  const auto begin = static_cast<size_t>(band.begin);
  const auto n = static_cast<size_t>(band.end) - begin;
  return capped_sum(power.data() + begin, inverse_noise.data() + begin, n) / static_cast<float>(n) -
         1.0F;
}

NoiseProfiler::NoiseProfiler(int bins, double bin_hz)
    : bins_(bins), bin_hz_(bin_hz), sum_(static_cast<size_t>(bins)) {}

void NoiseProfiler::hear(std::span<const float> power) {
  for (size_t k = 0; k < sum_.size(); ++k) sum_[k] += static_cast<double>(power[k]);
  if (kept_.size() < most_kept * power.size())
    kept_.insert(kept_.end(), power.begin(), power.end());
  ++heard_;
}

NoiseProfile NoiseProfiler::profile() const {
  const auto n = static_cast<size_t>(bins_);
  if (heard_ < 1 || std::accumulate(sum_.begin(), sum_.end(), 0.0) <= 0) return {};
  NoiseProfile out;
  out.power.resize(n);
  std::vector<float> inverse(n);
  for (size_t k = 0; k < n; ++k) {
    out.power[k] = static_cast<float>(sum_[k] / static_cast<double>(heard_));
    inverse[k] = 1.0F / std::max(out.power[k], 1e-20F);
  }
  const size_t spectra = kept_.size() / n;
  for (const BinRange band : noise_bands(bins_, bin_hz_)) {
    std::vector<double> excess;
    for (size_t t = 0; t < spectra; ++t)
      excess.push_back(
          static_cast<double>(band_excess(band, std::span(kept_).subspan(t * n, n), inverse)));
    double sum = 0, squares = 0;
    size_t count = 0;
    for (size_t t = 0; t + weights.size() <= spectra; ++t, ++count) {
      double mean = 0;
      for (size_t w = 0; w < weights.size(); ++w)
        mean += static_cast<double>(weights[w]) * excess[t + w];
      sum += mean;
      squares += mean * mean;
    }
    const double measured =
        count > 1 ? std::sqrt(std::max(0.0, squares / static_cast<double>(count) -
                                                std::pow(sum / static_cast<double>(count), 2)))
                  : 0.0;
    // About what white noise wavers by through these windows and weights; no room is steadier.
    const double least = std::sqrt(0.28 / (band.end - band.begin));
    out.spread.push_back(static_cast<float>(std::max(measured, least)));
  }
  return out;
}

}  // namespace drevan
