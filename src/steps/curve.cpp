// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/curve.h"

#include <algorithm>
#include <cmath>

#include "steps/step.h"

namespace drevan {

double value_at(const Curve& curve, const Parameter& parameter, double s) {
  const auto& points = curve.points;
  const auto next = std::ranges::upper_bound(points, s, {}, &CurvePoint::s);
  if (next == points.begin()) return points.front().value;
  const CurvePoint& from = *(next - 1);
  if (next == points.end() || from.shape == CurveShape::hold) return from.value;
  double t = (s - from.s) / (next->s - from.s);
  if (from.shape == CurveShape::smooth) t = t * t * (3 - 2 * t);
  if (parameter.scale == Scale::choice) return from.value;
  // A range whose end means "off" is straight in the value all the same.
  const double a = to_fraction(parameter, from.value), b = to_fraction(parameter, next->value);
  return from_fraction(parameter, a + t * (b - a));
}

double integral_to(const Curve& curve, double s) noexcept {
  const auto& points = curve.points;
  // From the first point on.
  const auto up_to = [&](double t) {
    const double first = points.front().s;
    if (t <= first) return points.front().value * (t - first);
    double sum = 0;
    for (size_t i = 0; i < points.size() && points[i].s < t; ++i) {
      const CurvePoint& from = points[i];
      const bool last = i + 1 == points.size();
      const double end = last ? t : std::min(t, points[i + 1].s), way = end - from.s;
      sum += from.value * way;
      if (last || from.shape == CurveShape::hold) continue;
      const double length = points[i + 1].s - from.s, u = way / length;
      const double part = from.shape == CurveShape::smooth ? u * u * u * (1 - u / 2) : u * u / 2;
      sum += (points[i + 1].value - from.value) * part * length;
    }
    return sum;
  };
  return up_to(s) - up_to(0);
}

Curve shifted(Curve curve, double by_s) {
  for (auto& p : curve.points) p.s += by_s;
  return curve;
}

Curve within(const Curve& curve, double begin_s, double end_s) {
  const auto& points = curve.points;
  auto first = std::ranges::upper_bound(points, begin_s, {}, &CurvePoint::s);
  auto last = std::ranges::lower_bound(points, end_s, {}, &CurvePoint::s);
  if (first != points.begin()) --first;
  if (last != points.end()) ++last;
  if (first >= last) return curve;
  return {{first, last}};
}

}  // namespace drevan
