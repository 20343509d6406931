// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/true_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/convolve.h"

namespace drevan {

namespace {

constexpr int taps_all = 28, factor_all = 4;
using Phases = std::array<std::array<float, taps_all>, factor_all>;

// Phase 0 holds the samples themselves: the sinc is zero at all others.
const Phases& phases() {
  static const Phases made = [] {
    constexpr double beta = 4.3;
    constexpr int half = factor_all * taps_all / 2;
    Phases out{};
    for (int j = 0; j < 2 * half; ++j) {
      const int m = j - half;
      const double x = m * std::numbers::pi / factor_all, u = static_cast<double>(m) / half;
      const double sinc = m == 0 ? 1.0 : std::sin(x) / x;
      const double window =
          std::cyl_bessel_i(0.0, beta * std::sqrt(1 - u * u)) / std::cyl_bessel_i(0.0, beta);
      out[static_cast<size_t>(j % factor_all)][static_cast<size_t>(j / factor_all)] =
          static_cast<float>(sinc * window);
    }
    return out;
  }();
  return made;
}

// The top of a parabola through a, b and c, of which b is the largest in magnitude, all of one sign.
float top(float a, float b, float c) noexcept {
  const float bend = a - 2 * b + c;
  return bend == 0 ? b : b - (a - c) * (a - c) / (8 * bend);
}

}  // namespace

TruePeakDetector::TruePeakDetector(int channels) : channels_(static_cast<size_t>(channels)) {
  phases();
}

double TruePeakDetector::overshoot() {
  static const double most = [] {
    double sum = 1;
    for (const auto& phase : phases()) {
      double one = 0;
      for (const float h : phase) one += static_cast<double>(std::abs(h));
      sum = std::max(sum, one);
    }
    return 1.2 * sum;  // a parabola's top lies at most an eighth of its bend above
  }();
  return most;
}

void TruePeakDetector::reset() noexcept {
  for (auto& c : channels_) c = {};
}

void TruePeakDetector::interpolate(Channel& channel, size_t n) noexcept {
  const float* now = channel.past.data() + taps;
  std::copy_n(now - delay(), n, fine_[0].begin());
  for (size_t p = 1; p < factor; ++p) {
    std::fill_n(fine_[p].begin(), n, 0.0F);
    convolve_add(now, phases()[p], std::span(fine_[p]).first(n));
  }
}

void TruePeakDetector::process(const AudioBlock& block, std::span<float> peaks,
                               float least) noexcept {
  std::ranges::fill(peaks, 0.0F);
  // What a parabola adds is less than this: cos(pi 0.45 / 4) is 0.94.
  const float worth = least * 0.9F;
  for (size_t c = 0; c < channels_.size(); ++c) {
    Channel& channel = channels_[c];
    const auto in = block.channel(static_cast<int>(c));
    for (size_t done = 0; done < in.size();) {
      const size_t n = std::min<size_t>(chunk, in.size() - done);
      std::copy_n(in.begin() + static_cast<std::ptrdiff_t>(done), n, channel.past.begin() + taps);
      interpolate(channel, n);
      for (size_t i = 0; i < n; ++i) {
        // The last of the frame before, whose neighbour has come now, counts to this one.
        const float before[] = {i > 0 ? fine_[2][i - 1] : channel.last[0],
                                i > 0 ? fine_[3][i - 1] : channel.last[1]};
        float most = std::max({std::abs(before[1]), std::abs(fine_[0][i]), std::abs(fine_[1][i]),
                               std::abs(fine_[2][i])});
        if (most >= worth) {
          const float y[] = {before[0],   before[1],   fine_[0][i],
                             fine_[1][i], fine_[2][i], fine_[3][i]};
          for (size_t k = 1; k <= 4; ++k) {
            const float b = std::abs(y[k]);
            if (b * 1.1F < most) continue;
            const float sign = y[k] < 0 ? -1.0F : 1.0F, a = sign * y[k - 1], d = sign * y[k + 1];
            if (b >= a && b >= d) most = std::max(most, top(a, b, d));
          }
        }
        peaks[done + i] = std::max(peaks[done + i], most);
      }
      channel.last = {fine_[2][n - 1], fine_[3][n - 1]};
      std::copy_n(channel.past.begin() + static_cast<std::ptrdiff_t>(n), taps,
                  channel.past.begin());
      done += n;
    }
  }
}

}  // namespace drevan
