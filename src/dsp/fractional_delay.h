// SPDX-License-Identifier: GPL-3.0-or-later
// Sound held back by any time, also between the samples, while the time moves.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace drevan {

/// One channel. Between the samples by a windowed sinc of 24 taps (Kaiser, beta 9; J. O. Smith,
/// "Physical Audio Signal Processing", chapter on delay-line interpolation): flat within 0.01 dB to
/// 0.37 of the rate, images 85 dB down there. Real-time safe but for construction.
class FractionalDelay {
 public:
  static constexpr int taps = 24;
  /// Frames below which no delay can be read.
  static constexpr double least = taps / 2;
  /// Frames that write() and read() take at a time, at most.
  static constexpr size_t most_run = 64;

  /// `most`: the longest delay, in frames.
  explicit FractionalDelay(double most);
  void reset() noexcept;
  /// The next sample.
  void write(float x) noexcept {
    at_ = (at_ + 1) & mask_;
    // Twice, so that every stretch of taps lies in one piece.
    ring_[at_] = ring_[at_ + mask_ + 1] = x;
  }
  /// What was written `delay` frames ago; 0 is the newest. From least to the longest.
  float read(double delay) const noexcept;
  /// Several samples, the oldest first.
  void write(std::span<const float> x) noexcept {
    for (const float v : x) write(v);
  }
  /// For the last frames written, as many as `delays`: what was written `delays[i]` frames before
  /// the frame i of them. The same bits as a read() behind each write().
  void read(std::span<const double> delays, std::span<float> out) const noexcept;
  /// The same for a whole number of frames, from 0.
  float read_whole(int delay) const noexcept {
    return ring_[(at_ - static_cast<size_t>(delay)) & mask_];
  }
  /// read_whole() of the last `n` frames written, the oldest first; valid until the next write().
  std::span<const float> read_whole(int delay, size_t n) const noexcept {
    return {&ring_[(at_ - static_cast<size_t>(delay) - (n - 1)) & mask_], n};
  }

 private:
  const std::array<float, taps>* rows_;  // weights by how far between two samples
  std::vector<float> ring_;
  size_t mask_ = 0, at_ = 0;
};

}  // namespace drevan
