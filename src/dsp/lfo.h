// SPDX-License-Identifier: GPL-3.0-or-later
// A slow oscillator that moves a setting, and its shapes.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>
#include <span>

#include "audio/buffer.h"
#include "dsp/smoothed.h"

namespace drevan {

enum class LfoShape : int { sine, triangle, square, rise, fall, drift };

/// -1 to 1 at `cycles` (whole and part) of an oscillator. Jumps are rounded over a sixteenth of a
/// cycle, so that they do not click; drift goes from one chance value to the next, the same each
/// time.
inline double lfo_value(LfoShape shape, double cycles) noexcept {
  const double whole = std::floor(cycles), phase = cycles - whole;
  const auto eased = [](double t) { return t * t * (3 - 2 * t); };
  constexpr double edge = 1.0 / 16;
  switch (shape) {
    case LfoShape::sine:
      return std::sin(2 * std::numbers::pi * phase);
    case LfoShape::triangle:
      return phase < 0.25 ? 4 * phase : phase < 0.75 ? 2 - 4 * phase : 4 * phase - 4;
    case LfoShape::square: {
      // Up at 0, down at a half.
      const double t = phase < 0.5 ? phase : phase - 0.5, sign = phase < 0.5 ? 1 : -1;
      return sign * (t < edge ? 2 * eased(t / edge) - 1 : 1);
    }
    case LfoShape::rise:
    case LfoShape::fall: {
      const double v =
          phase < 1 - edge ? 2 * phase / (1 - edge) - 1 : 1 - 2 * eased((phase - 1 + edge) / edge);
      return shape == LfoShape::rise ? v : -v;
    }
    case LfoShape::drift: {
      const auto chance = [](double n) {
        auto h = static_cast<std::uint64_t>(static_cast<std::int64_t>(n)) * 0x9E3779B97F4A7C15ULL;
        h ^= h >> 31;
        h *= 0xBF58476D1CE4E5B9ULL;
        h ^= h >> 29;
        return static_cast<double>(h >> 11) / 4503599627370496.0 - 1;
      };
      return chance(whole) + (chance(whole + 1) - chance(whole)) * eased(phase);
    }
  }
  return 0;
}

/// Slow movements are worked out this many frames apart, on a grid that goes by the frame alone,
/// and go straight between.
inline constexpr int motion_grid = 16;

/// A value that is worked out on the grid. Real-time safe.
class OnGrid {
 public:
  /// The next frame is this one.
  void place(Samples frame) noexcept {
    at_ = static_cast<int>(((frame % motion_grid) + motion_grid) % motion_grid);
    fresh_ = true;
  }
  /// Whether aim() must come before the next next().
  bool wants() const noexcept { return at_ == 0 || fresh_; }
  /// Where the value is `motion_grid` frames from the grid's last point.
  void aim(double to) noexcept {
    if (fresh_) value_ = to;
    fresh_ = false;
    step_ = (to - value_) / (motion_grid - at_);
  }
  double next() noexcept {
    const double now = value_;
    value_ += step_;
    if (++at_ == motion_grid) at_ = 0;
    return now;
  }
  /// The next so many values, at most left().
  void next(std::span<double> out) noexcept {
    for (double& v : out) {
      v = value_;
      value_ += step_;
    }
    at_ = (at_ + static_cast<int>(out.size())) % motion_grid;
  }
  /// Frames to the grid's next point.
  int left() const noexcept { return motion_grid - at_; }

 private:
  double value_ = 0, step_ = 0;
  int at_ = 0;
  bool fresh_ = true;
};

/// Counts cycles. At a steady rate where it is depends on the frame alone, so that playing from the
/// middle sounds as a render does. Real-time safe.
class Lfo {
 public:
  /// Each next() goes on by `step` frames.
  void prepare(double rate, double hz, int step = 1) {
    rate_ = rate / step;
    step_ = step;
    hz_.prepare(rate_, 20, hz);
    place(0);
  }
  void set(double hz) noexcept { hz_.set(hz); }
  /// The next frame is this one.
  void place(Samples frame) noexcept {
    hz_.jump(hz_.goal());
    cycles_ = hz_.goal() * static_cast<double>(frame / step_) / rate_;
  }
  double cycles() const noexcept { return cycles_; }
  /// Cycles at this frame; goes on to the next.
  double next() noexcept {
    const double now = cycles_;
    cycles_ += hz_.next() / rate_;
    return now;
  }

 private:
  double rate_ = 48000, cycles_ = 0;
  int step_ = 1;
  Smoothed hz_;
};

}  // namespace drevan
