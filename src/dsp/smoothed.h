// SPDX-License-Identifier: GPL-3.0-or-later
// A value that glides to its goal, so that a turned knob does not click.
#pragma once

#include <algorithm>
#include <cmath>
#include <span>

namespace drevan {

/// One-pole glide. Real-time safe. next() per sample; the same for any block size.
class Smoothed {
 public:
  /// `ms`: time to come within 1/e of the goal; `rate` in calls of next() per second.
  void prepare(double rate, double ms, double value) {
    k_ = 1 - std::exp(-1000.0 / (ms * rate));
    value_ = goal_ = value;
  }
  void set(double goal) noexcept { goal_ = goal; }
  void jump(double value) noexcept { value_ = goal_ = value; }
  double goal() const noexcept { return goal_; }
  double value() const noexcept { return value_; }
  bool moving() const noexcept { return value_ != goal_; }
  double next() noexcept {
    if (value_ == goal_) return value_;
    value_ += k_ * (goal_ - value_);
    // Land exactly, so that a settled stream is bit-equal to one that never moved.
    if (std::abs(goal_ - value_) <= 1e-6 * (std::abs(goal_) + 1e-3)) value_ = goal_;
    return value_;
  }
  /// The next so many values.
  template <class Number>
  void next(std::span<Number> out) noexcept {
    auto at = out.begin();
    while (at != out.end() && moving()) *at++ = static_cast<Number>(next());
    std::fill(at, out.end(), static_cast<Number>(value_));
  }

 private:
  double value_ = 0, goal_ = 0, k_ = 1;
};

}  // namespace drevan
