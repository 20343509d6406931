// SPDX-License-Identifier: GPL-3.0-or-later
// Makes many echoes of one.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

namespace drevan {

/// An all-pass of Schroeder's ("Natural sounding artificial reverberation", JAES 10(3), 1962): the
/// spectrum stays as it is. One channel. Real-time safe but for construction.
class Diffuser {
 public:
  explicit Diffuser(int frames) : ring_(static_cast<size_t>(frames)) {}
  void reset() noexcept {
    std::ranges::fill(ring_, 0.0F);
    at_ = 0;
  }
  /// In place. `g`: how much, 0 to below 1, for each frame.
  void process(std::span<float> x, std::span<const float> g) noexcept {
    for (size_t done = 0; done < x.size();) {
      const size_t n = std::min(x.size() - done, ring_.size() - at_);
      float* __restrict ring = ring_.data() + at_;
      float* __restrict to = x.data() + done;
      for (size_t i = 0; i < n; ++i) {
        const float late = ring[i], by = g[done + i];
        ring[i] = to[i] + by * late;
        to[i] = late - by * ring[i];
      }
      done += n;
      at_ = at_ + n == ring_.size() ? 0 : at_ + n;
    }
  }

 private:
  std::vector<float> ring_;
  size_t at_ = 0;
};

}  // namespace drevan
