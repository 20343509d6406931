// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/spectrum.h"

namespace drevan {

SpectrumMeter::SpectrumMeter(StreamFormat format)
    : rate_(format.rate),
      rings_(static_cast<size_t>(format.channels), FloatVector(size)),
      time_(size),
      bins_(size / 2 + 1),
      sum_(size / 2 + 1) {}

void SpectrumMeter::reset() {
  for (auto& ring : rings_) std::ranges::fill(ring, 0.0F);
  std::ranges::fill(sum_, 0.0);
  filled_ = 0;
  windows_ = 0;
}

void SpectrumMeter::hear(const AudioBlock& block) {
  for (int done = 0; done < block.frames();) {
    const int n = std::min(size - filled_, block.frames() - done);
    for (size_t c = 0; c < rings_.size(); ++c)
      std::copy_n(block.channel(static_cast<int>(c)).data() + done, n, rings_[c].data() + filled_);
    filled_ += n;
    done += n;
    if (filled_ < size) break;
    for (auto& ring : rings_) {
      for (size_t i = 0; i < size; ++i) time_[i] = ring[i] * window_[i];
      fft_.forward(time_, bins_);
      for (size_t k = 0; k < sum_.size(); ++k) sum_[k] += static_cast<double>(std::norm(bins_[k]));
      std::copy(ring.begin() + size / 2, ring.end(), ring.begin());
    }
    ++windows_;
    filled_ = size / 2;
  }
}

std::vector<float> SpectrumMeter::power() const {
  std::vector<float> out(sum_.size());
  if (windows_ == 0) return out;
  // A sine of amplitude 1 gives |X| = size / 4 under a Hann window.
  const double scale = 16.0 / (static_cast<double>(size) * size * static_cast<double>(windows_) *
                               static_cast<double>(rings_.size()));
  for (size_t k = 0; k < out.size(); ++k) out[k] = static_cast<float>(sum_[k] * scale);
  return out;
}

}  // namespace drevan
