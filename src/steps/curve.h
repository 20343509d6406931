// SPDX-License-Identifier: GPL-3.0-or-later
// A setting that changes over time.
#pragma once

#include <memory>
#include <span>
#include <vector>

namespace drevan {

struct Parameter;

/// How a curve goes from one point to the next.
enum class CurveShape {
  line,    ///< straight in the parameter's scale
  smooth,  ///< beginning and ending level
  hold,    ///< the point's value until the next
};

struct CurvePoint {
  /// Seconds of the sound that enters the step; of the reel in a group's or the reel's chain.
  double s = 0;
  double value = 0;  ///< in the parameter's unit
  CurveShape shape = CurveShape::line;
  friend bool operator==(const CurvePoint&, const CurvePoint&) = default;
};

/// Before its first and behind its last point the value stays.
struct Curve {
  std::vector<CurvePoint> points;  ///< at least one; `s` rises
  friend bool operator==(const Curve&, const Curve&) = default;
};

/// The most points a curve may have.
inline constexpr size_t most_curve_points = 100000;

/// The value at a time.
double value_at(const Curve& curve, const Parameter& parameter, double s);
/// Value times seconds from 0 s to a time, where a line is straight in the value; below 0 s it
/// counts backwards.
double integral_to(const Curve& curve, double s) noexcept;
/// Every point later by `by_s`.
Curve shifted(Curve curve, double by_s);
/// What matters between two times: the points there, and the nearest on either side.
Curve within(const Curve& curve, double begin_s, double end_s);

/// A step switched on and off is a curve as well, of 0 and 1.
inline constexpr int on_parameter = -1;

/// A curve at work on one of a step's parameters; seconds of the sound that enters the step.
struct Track {
  int parameter = 0;  ///< or on_parameter
  std::shared_ptr<const Curve> curve;
  friend bool operator==(const Track& a, const Track& b) {
    return a.parameter == b.parameter && *a.curve == *b.curve;
  }
};

}  // namespace drevan
