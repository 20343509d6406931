#include "dsp/true_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace drevan {

TruePeakDetector::TruePeakDetector(double rate, int channels)
    : factor_(rate < 96000 ? 4 : rate < 192000 ? 2 : 1), lanes_(static_cast<size_t>(channels)) {
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
  for (auto& l : lanes_) l = {};
}

void TruePeakDetector::process(const AudioBlock& block, std::span<float> peaks) noexcept {
  std::ranges::fill(peaks, 0.0F);
  for (size_t c = 0; c < lanes_.size(); ++c) {
    Lane& lane = lanes_[c];
    const auto in = block.channel(static_cast<int>(c));
    for (size_t i = 0; i < in.size(); ++i) {
      // Kept twice, so that the last taps lie in one piece.
      lane.ring[lane.at] = lane.ring[lane.at + taps] = in[i];
      lane.at = (lane.at + 1) % taps;
      const float* past = lane.ring.data() + lane.at;  // oldest first
      // The samples themselves count, too, at any factor.
      float most = std::abs(past[taps - 1 - delay()]);
      for (int p = 0; p < factor_ && factor_ > 1; ++p) {
        float sum = 0;
        for (size_t t = 0; t < taps; ++t) sum += phases_[static_cast<size_t>(p)][taps - 1 - t] * past[t];
        most = std::max(most, std::abs(sum));
      }
      peaks[i] = std::max(peaks[i], most);
    }
  }
}

}  // namespace drevan
