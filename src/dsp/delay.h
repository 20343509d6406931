// SPDX-License-Identifier: GPL-3.0-or-later
// Sound held back, and the least of what is coming.
#pragma once

#include <algorithm>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Delays a stream by a fixed number of frames. Real-time safe but for construction.
class Delay {
 public:
  Delay(int channels, int frames)
      : frames_(frames),
        rings_(static_cast<size_t>(channels),
               std::vector<float>(static_cast<size_t>(std::max(frames, 1)))) {}
  int frames() const { return frames_; }
  void reset() noexcept {
    for (auto& r : rings_) std::ranges::fill(r, 0.0F);
    at_ = 0;
  }
  void process(const AudioBlock& block) noexcept {
    if (frames_ == 0) return;
    const auto length = static_cast<size_t>(frames_), frames = static_cast<size_t>(block.frames());
    for (size_t c = 0; c < rings_.size(); ++c) {
      float* x = block.channel(static_cast<int>(c)).data();
      size_t at = at_;
      for (size_t done = 0; done < frames;) {
        const size_t n = std::min(length - at, frames - done);
        std::swap_ranges(x + done, x + done + n, rings_[c].data() + at);
        done += n;
        at = at + n == length ? 0 : at + n;
      }
    }
    at_ = (at_ + frames) % length;
  }

 private:
  int frames_;
  std::vector<std::vector<float>> rings_;
  size_t at_ = 0;
};

/// Largest of the last length() values, the newest included; a few operations per value (a queue of
/// falling candidates). Real-time safe but for construction.
class SlidingMaximum {
 public:
  explicit SlidingMaximum(int most)
      : length_(most), values_(static_cast<size_t>(most) + 1), times_(values_.size()) {}
  /// 1 to the most given at birth.
  void set_length(int length) noexcept { length_ = length; }
  void reset() noexcept {
    first_ = count_ = 0;
    time_ = 0;
  }
  double process(double x) noexcept {
    const size_t n = values_.size();
    while (count_ > 0 && values_[(first_ + count_ - 1) % n] <= x) --count_;
    while (count_ > 0 && times_[first_] + length_ <= time_) first_ = (first_ + 1) % n, --count_;
    const size_t end = (first_ + count_) % n;
    values_[end] = x;
    times_[end] = time_++;
    ++count_;
    return values_[first_];
  }

 private:
  Samples length_;
  std::vector<double> values_;
  std::vector<Samples> times_;
  size_t first_ = 0, count_ = 0;
  Samples time_ = 0;
};

/// Mean of the last length() values; zeros before the first. Exact for ever: the sum is of whole
/// numbers. Real-time safe but for construction.
class MovingMean {
 public:
  explicit MovingMean(int most)
      : length_(static_cast<size_t>(most)), ring_(static_cast<size_t>(most)) {}
  /// 1 to the most given at birth.
  void set_length(int length) noexcept {
    length_ = static_cast<size_t>(length);
    sum_ = 0;
    for (size_t back = 1; back <= length_; ++back)
      sum_ += ring_[(at_ + ring_.size() - back) % ring_.size()];
  }
  void reset() noexcept {
    std::ranges::fill(ring_, 0);
    sum_ = 0;
    at_ = 0;
  }
  /// |x| below 1000; counted in steps of 2^-36.
  double process(double x) noexcept {
    const auto v = static_cast<std::int64_t>(x * unit);
    sum_ += v - ring_[(at_ + ring_.size() - length_) % ring_.size()];
    ring_[at_] = v;
    if (++at_ == ring_.size()) at_ = 0;
    return static_cast<double>(sum_) / (unit * static_cast<double>(length_));
  }

 private:
  static constexpr double unit = static_cast<double>(1LL << 36);
  size_t length_;
  std::vector<std::int64_t> ring_;
  std::int64_t sum_ = 0;
  size_t at_ = 0;
};

/// The value of `lag` calls ago. Real-time safe but for construction.
class LagLine {
 public:
  explicit LagLine(int most) : ring_(static_cast<size_t>(most) + 1) {}
  void reset() noexcept {
    std::ranges::fill(ring_, 0.0);
    at_ = 0;
  }
  double process(double x, int lag) noexcept {
    ring_[at_] = x;
    const double out = ring_[(at_ + ring_.size() - static_cast<size_t>(lag)) % ring_.size()];
    if (++at_ == ring_.size()) at_ = 0;
    return out;
  }

 private:
  std::vector<double> ring_;
  size_t at_ = 0;
};

}  // namespace drevan
