// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/sound.h"

#include <cmath>

namespace drevan {

double TimeMap::at(double x, double Point::*from, double Point::*to) const {
  if (points_.empty()) return x;
  const bool rising = points_.back().*from > points_.front().*from;
  // The stretch that x is in, or the first or last where it is beyond.
  const auto within =
      std::partition_point(points_.begin() + 1, points_.end() - 1,
                           [&](const Point& p) { return rising ? x > p.*from : x < p.*from; });
  const auto i = static_cast<size_t>(within - points_.begin());
  const Point &a = points_[i - 1], &b = points_[i];
  return a.*to + (x - a.*from) * (b.*to - a.*to) / (b.*from - a.*from);
}

TimeMap TimeMap::then(const TimeMap& next) const {
  if (identity()) return next;
  if (next.identity()) return *this;
  // Corners of either.
  std::vector<double> ins;
  for (const auto& p : points_) ins.push_back(p.in);
  for (const auto& p : next.points_) ins.push_back(in_of(p.in));
  std::ranges::sort(ins);
  std::vector<Point> out;
  for (const double in : ins)
    if (out.empty() || in > out.back().in + 1e-9) out.push_back({in, next.out_of(out_of(in))});
  // Twice reversed, or there and back, is where it was.
  bool same = true;
  for (const auto& p : out) same = same && std::abs(p.in - p.out) < 1e-9;
  return same ? TimeMap() : TimeMap(std::move(out));
}

}  // namespace drevan
