// SPDX-License-Identifier: GPL-3.0-or-later
// The clock of steps that run a sound faster or slower.
#pragma once

#include "steps/step.h"

namespace drevan {

/// How long a second of the sound becomes, by one percentage parameter or its curve.
class Pace {
 public:
  /// `faster`: the percentage is a speed; otherwise a length.
  Pace(const Parameter& parameter, double value, std::span<const Track> tracks, int index,
       bool faster);
  /// A length that is the same all the way.
  explicit Pace(double factor) : value_(factor * 100) {}
  bool unchanged() const { return !curve_ && value_ == 100; }
  /// Corners every `grid_s` where a curve moves.
  TimeMap map(double seconds) const;
  static constexpr double grid_s = 0.005;

 private:
  double factor(double s) const;

  const Parameter* parameter_ = nullptr;
  std::shared_ptr<const Curve> curve_;
  double value_ = 100;
  bool faster_ = false;
};

}  // namespace drevan
