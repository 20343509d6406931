// SPDX-License-Identifier: GPL-3.0-or-later
// Curves as they are drawn: pure functions from one to the next.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "steps/step.h"

namespace drevan {

/// The least time between two points, seconds.
inline constexpr double least_point_distance_s = 0.001;

/// The curve a parameter follows (or on_parameter), nullptr: none.
const Curve* curve_of(const std::vector<Track>& curves, int parameter);
/// The settings at a time of the sound that enters the step.
Settings settings_at(const Settings& settings, const std::vector<Track>& curves,
                     const StepType& type, double s);

/// What a track turns; whether a step is on is a list of off and on.
const Parameter& parameter_of_track(const StepType& type, int parameter);
/// Whether one of a step's parameters, or on_parameter, may follow a curve.
bool may_follow_curve(const StepType& type, int parameter);
/// The latest, and after a minus the earliest, time of a point, seconds.
inline constexpr double latest_point_s = 1e6;
/// Throws Error(call) with a sentence: no or too many points, out of order, of range or time, a
/// shape that a list cannot have.
void require_curve(const Curve& curve, const Parameter& parameter);
/// Whether nothing lies between the values of a parameter, so that points hold.
bool only_holds(const Parameter& parameter);

/// The curve with one more point; one that stands nearer than the least distance is replaced. Its
/// shape is that of the point before it.
Curve with_point(Curve curve, const Parameter& parameter, double s, double value);
/// Where a point stands after with_point(), or the nearest one.
size_t nearest_point(const Curve& curve, double s);
/// Point `i` elsewhere; it stays between its neighbours.
Curve with_moved_point(Curve curve, size_t i, double s, double value);
/// Empty when it was the last.
std::optional<Curve> without_point(Curve curve, size_t i);
/// All of it higher by a part of the parameter's range, within it.
Curve raised(Curve curve, const Parameter& parameter, double by);

struct ValueRange {
  double least = 0, most = 0;
};
ValueRange value_range(const Curve& curve);

/// As few of the points as keep the line within `tolerance`, a part of the parameter's range, of
/// those left out. Source: Ramer 1972; Douglas and Peucker 1973, the distance taken along the
/// value.
std::vector<CurvePoint> thinned(std::span<const CurvePoint> points, const Parameter& parameter,
                                double tolerance = 0.01);
/// `points`, which rise in time, in place of what the curve does between the first and the last of
/// them. `curve` may be nullptr.
Curve overwritten(const Curve* curve, std::span<const CurvePoint> points);

}  // namespace drevan
