// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/curve_edit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "audio/error.h"

namespace drevan {

const Curve* curve_of(const std::vector<Track>& curves, int parameter) {
  const auto at = std::ranges::find(curves, parameter, &Track::parameter);
  return at == curves.end() ? nullptr : at->curve.get();
}

Settings settings_at(const Settings& settings, const std::vector<Track>& curves,
                     const StepType& type, double s) {
  Settings out = settings;
  for (const auto& track : curves) {
    if (track.parameter < 0) continue;
    const auto i = static_cast<size_t>(track.parameter);
    out.values[i] = value_at(*track.curve, type.parameters[i], s);
  }
  return out;
}

const Parameter& parameter_of_track(const StepType& type, int parameter) {
  static const Parameter on_or_off = choice_parameter("on", "On", {{"off", "off"}, {"on", "on"}}, 1,
                                                      "Whether sound flows through.");
  return parameter == on_parameter ? on_or_off : type.parameters[static_cast<size_t>(parameter)];
}

bool may_follow_curve(const StepType& type, int parameter) {
  // What rewrites the whole sound is there for all of it or not at all.
  return parameter == on_parameter
             ? type.rewrite == nullptr
             : may_follow_curve(type.parameters[static_cast<size_t>(parameter)]);
}

void require_curve(const Curve& curve, const Parameter& parameter) {
  const auto wrong = [&](const std::string& why) {
    throw Error(Error::Kind::call, fmt::format("{} over time: {}", parameter.label, why));
  };
  if (curve.points.empty()) wrong("a curve needs a point.");
  if (curve.points.size() > most_curve_points)
    wrong(fmt::format("it has {} points, allowed are {}.", curve.points.size(), most_curve_points));
  for (size_t i = 0; i < curve.points.size(); ++i) {
    const CurvePoint& p = curve.points[i];
    const auto point = [&](std::string_view why) { wrong(fmt::format("point {} {}", i + 1, why)); };
    if (!(std::abs(p.s) <= latest_point_s)) point("lies too far away in time.");
    if (i > 0 && p.s <= curve.points[i - 1].s) point("does not follow the one before it.");
    if (!in_range(parameter, p.value)) point("is out of range.");
    if (only_holds(parameter) && p.shape != CurveShape::hold)
      point("goes to the next; between entries of a list it can only hold.");
  }
}

bool only_holds(const Parameter& parameter) { return parameter.scale == Scale::choice; }

size_t nearest_point(const Curve& curve, double s) {
  const auto at = std::ranges::min_element(curve.points, {},
                                           [s](const CurvePoint& p) { return std::abs(p.s - s); });
  return static_cast<size_t>(at - curve.points.begin());
}

Curve with_point(Curve curve, const Parameter& parameter, double s, double value) {
  auto& points = curve.points;
  if (!points.empty()) {
    const size_t near = nearest_point(curve, s);
    if (std::abs(points[near].s - s) < least_point_distance_s)
      return points[near].value = value, curve;
  }
  const auto next = std::ranges::upper_bound(points, s, {}, &CurvePoint::s);
  const CurveShape shape = only_holds(parameter)    ? CurveShape::hold
                           : next == points.begin() ? CurveShape::line
                                                    : (next - 1)->shape;
  points.insert(next, {s, value, shape});
  return curve;
}

Curve with_moved_point(Curve curve, size_t i, double s, double value) {
  auto& points = curve.points;
  constexpr double far = std::numeric_limits<double>::infinity();
  const double least = i == 0 ? -far : points[i - 1].s + least_point_distance_s;
  const double most = i + 1 == points.size() ? far : points[i + 1].s - least_point_distance_s;
  points[i].s = std::max(least, std::min(most, s));
  points[i].value = value;
  return curve;
}

std::optional<Curve> without_point(Curve curve, size_t i) {
  if (curve.points.size() < 2) return std::nullopt;
  curve.points.erase(curve.points.begin() + static_cast<std::ptrdiff_t>(i));
  return curve;
}

Curve raised(Curve curve, const Parameter& parameter, double by) {
  for (auto& p : curve.points)
    p.value = from_fraction(parameter, to_fraction(parameter, p.value) + by);
  return curve;
}

ValueRange value_range(const Curve& curve) {
  const auto [least, most] = std::ranges::minmax(curve.points, {}, &CurvePoint::value);
  return {least.value, most.value};
}

std::vector<CurvePoint> thinned(std::span<const CurvePoint> points, const Parameter& parameter,
                                double tolerance) {
  if (points.size() < 3) return {points.begin(), points.end()};
  std::vector<bool> kept(points.size(), false);
  kept.front() = kept.back() = true;
  std::vector<std::pair<size_t, size_t>> open{{0, points.size() - 1}};
  while (!open.empty()) {
    const auto [first, last] = open.back();
    open.pop_back();
    const Curve line{{points[first], points[last]}};
    double most = tolerance;
    size_t furthest = first;
    for (size_t i = first + 1; i < last; ++i) {
      const double off = std::abs(to_fraction(parameter, points[i].value) -
                                  to_fraction(parameter, value_at(line, parameter, points[i].s)));
      if (off > most) most = off, furthest = i;
    }
    if (furthest == first) continue;
    kept[furthest] = true;
    open.push_back({first, furthest});
    open.push_back({furthest, last});
  }
  std::vector<CurvePoint> out;
  for (size_t i = 0; i < points.size(); ++i)
    if (kept[i]) out.push_back(points[i]);
  return out;
}

Curve overwritten(const Curve* curve, std::span<const CurvePoint> points) {
  Curve out;
  if (points.empty()) return curve ? *curve : out;
  if (curve)
    for (const auto& p : curve->points)
      if (p.s <= points.front().s - least_point_distance_s) out.points.push_back(p);
  out.points.insert(out.points.end(), points.begin(), points.end());
  if (curve)
    for (const auto& p : curve->points)
      if (p.s >= points.back().s + least_point_distance_s) out.points.push_back(p);
  return out;
}

}  // namespace drevan
