// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/motion/pace.h"

#include <cmath>

namespace drevan {

Pace::Pace(const Parameter& parameter, double value, std::span<const Track> tracks, int index,
           bool faster)
    : parameter_(&parameter), value_(value), faster_(faster) {
  for (const auto& track : tracks)
    if (track.parameter == index) curve_ = track.curve;
}

double Pace::factor(double s) const {
  const double pct = curve_ ? value_at(*curve_, *parameter_, s) : value_;
  return faster_ ? 100 / pct : pct / 100;
}

TimeMap Pace::map(double seconds) const {
  if (unchanged() || seconds <= 0) return {};
  if (!curve_) return TimeMap({{0, 0}, {seconds, seconds * factor(0)}});
  std::vector<double> corners{0};
  const auto& points = curve_->points;
  for (size_t i = 0; i < points.size(); ++i) {
    const double from = std::max(0.0, points[i].s),
                 to = std::min(seconds, i + 1 < points.size() ? points[i + 1].s : seconds);
    if (from > corners.back() && from < seconds) corners.push_back(from);
    const bool moves = i + 1 < points.size() && points[i].shape != CurveShape::hold &&
                       points[i].value != points[i + 1].value;
    const auto steps = moves ? static_cast<int>(std::ceil((to - from) / grid_s)) : 1;
    for (int k = 1; k < steps; ++k) {
      const double at = from + (to - from) * k / steps;
      if (at > corners.back()) corners.push_back(at);
    }
  }
  corners.push_back(seconds);
  std::vector<TimeMap::Point> out{{0, 0}};
  for (size_t i = 1; i < corners.size(); ++i) {
    if (corners[i] <= corners[i - 1]) continue;
    // The factor in the middle of a stretch stands for all of it.
    const double length = corners[i] - corners[i - 1];
    out.push_back({corners[i], out.back().out + length * factor(corners[i - 1] + length / 2)});
  }
  return TimeMap(std::move(out));
}

}  // namespace drevan
