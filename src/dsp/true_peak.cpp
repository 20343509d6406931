#include "dsp/true_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/convolve.h"

namespace drevan {

TruePeakDetector::TruePeakDetector(double rate, int channels)
    : factor_(rate < 96000 ? 4 : rate < 192000 ? 2 : 1), past_(static_cast<size_t>(channels)) {
  const int all = 48;  // the last of 49 taps, which is zero, is left out where phases are counted
  for (int j = 0; j <= all; ++j) {
    const double m = j - all / 2;
    const double x = m * std::numbers::pi / factor_;
    const double sinc = j == all / 2 ? 1.0 : std::sin(x) / x;
    const double window = 0.5 * (1 - std::cos(2 * std::numbers::pi * j / all));
    const int phase = j % factor_, tap = j / factor_;
    if (tap < taps) phases_[static_cast<size_t>(phase)][static_cast<size_t>(tap)] = static_cast<float>(sinc * window);
  }
}

void TruePeakDetector::reset() noexcept {
  for (auto& p : past_) p.fill(0);
}

void TruePeakDetector::process(const AudioBlock& block, std::span<float> peaks) noexcept {
  std::ranges::fill(peaks, 0.0F);
  std::array<float, chunk> between{};
  for (size_t c = 0; c < past_.size(); ++c) {
    Past& past = past_[c];
    const auto in = block.channel(static_cast<int>(c));
    for (size_t done = 0; done < in.size();) {
      const size_t n = std::min<size_t>(chunk, in.size() - done);
      const auto out = peaks.subspan(done, n);
      std::copy_n(in.begin() + static_cast<std::ptrdiff_t>(done), n, past.begin() + padded);
      const float* now = past.data() + padded;
      // The samples themselves count, too, at any factor.
      for (size_t i = 0; i < n; ++i) out[i] = std::max(out[i], std::abs(now[static_cast<std::ptrdiff_t>(i) - delay()]));
      for (int p = 0; p < factor_ && factor_ > 1; ++p) {
        std::fill_n(between.begin(), n, 0.0F);
        convolve_add(now, phases_[static_cast<size_t>(p)], std::span(between).first(n));
        for (size_t i = 0; i < n; ++i) out[i] = std::max(out[i], std::abs(between[i]));
      }
      std::copy_n(past.begin() + static_cast<std::ptrdiff_t>(n), padded, past.begin());
      done += n;
    }
  }
}

}  // namespace drevan
