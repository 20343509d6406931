// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/places/acoustics_drawn.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

namespace drevan {

namespace {

// Joined ends, in metres.
constexpr double meets_m = 0.3;
constexpr int pieces = 8;  // between two points

// Empty where the text has a fault, which is told.
std::vector<Place> points_in(std::string_view text, std::string& fault) {
  std::vector<Place> out;
  std::istringstream in{std::string(text)};
  in.imbue(std::locale::classic());
  for (std::string pair; std::getline(in, pair, ',');) {
    std::istringstream numbers(pair);
    numbers.imbue(std::locale::classic());
    Place p;
    std::string more;
    if (!(numbers >> p.x >> p.y) || numbers >> more) {
      fault = fmt::format("has \"{}\" where two numbers should be, as in \"0 0, 1.5 2\"", pair);
      return {};
    }
    if (!(std::abs(p.x) <= DrawnPath::farthest_m && std::abs(p.y) <= DrawnPath::farthest_m)) {
      fault = fmt::format("has a point farther than {:g} m", DrawnPath::farthest_m);
      return {};
    }
    out.push_back(p);
  }
  if (out.size() > DrawnPath::most_points) {
    fault =
        fmt::format("has {} points, at most {} are possible", out.size(), DrawnPath::most_points);
    return {};
  }
  return out;
}

// Whether each point is kept between two that are.
void thin(const std::vector<Place>& p, size_t first, size_t last, double grain,
          std::vector<bool>& kept) {
  double farthest = grain;
  size_t at = 0;
  const Place way = p[last] - p[first];
  const double length = way.length();
  for (size_t i = first + 1; i < last; ++i) {
    const Place from = p[i] - p[first];
    const double off =
        length > 1e-9 ? std::abs(from.x * way.y - from.y * way.x) / length : from.length();
    if (off > farthest) farthest = off, at = i;
  }
  if (at == 0) return;
  kept[at] = true;
  thin(p, first, at, grain, kept);
  thin(p, at, last, grain, kept);
}

}  // namespace

std::string DrawnPath::fault(std::string_view text) {
  std::string out;
  points_in(text, out);
  return out;
}

std::string DrawnPath::text_of(const std::vector<Place>& points, double grain_m) {
  if (points.empty()) return {};
  std::vector<bool> kept;
  // Coarser where there would be too many.
  do {
    kept.assign(points.size(), false);
    kept.front() = kept.back() = true;
    thin(points, 0, points.size() - 1, grain_m, kept);
    grain_m *= 1.5;
  } while (std::ranges::count(kept, true) > std::ptrdiff_t{most_points});
  std::string out;
  for (size_t i = 0; i < points.size(); ++i)
    if (kept[i])
      out += fmt::format("{}{:.2f} {:.2f}", out.empty() ? "" : ", ", points[i].x, points[i].y);
  return out;
}

DrawnPath::DrawnPath(std::string_view text) {
  std::string fault;
  std::vector<Place> p = points_in(text, fault);
  if (p.size() < 2) return;
  closed_ = p.size() > 3 && (p.front() - p.back()).length() < meets_m;
  if (closed_) p.back() = p.front();
  const auto n = static_cast<int>(p.size());
  const auto point = [&](int i) {
    if (closed_) return p[static_cast<size_t>(((i % (n - 1)) + n - 1) % (n - 1))];
    return p[static_cast<size_t>(std::clamp(i, 0, n - 1))];
  };
  for (int i = 0; i + 1 < n; ++i)
    for (int k = 0; k < pieces; ++k) {
      const double t = static_cast<double>(k) / pieces;
      const Place a = point(i - 1), b = point(i), c = point(i + 1), d = point(i + 2);
      points_.push_back((b * 2 + (c - a) * t + (a * 2 - b * 5 + c * 4 - d) * (t * t) +
                         (b * 3 - a - c * 3 + d) * (t * t * t)) *
                        0.5);
    }
  points_.push_back(p.back());
  ways_m_.push_back(0);
  for (size_t i = 1; i < points_.size(); ++i)
    ways_m_.push_back(ways_m_.back() + (points_[i] - points_[i - 1]).length());
  if (ways_m_.back() < 0.01) points_.clear();
}

Place DrawnPath::at(double gone_m) const noexcept {
  if (empty()) return {};
  const double length = ways_m_.back();
  double way = gone_m / (closed_ ? length : 2 * length);
  way = (way - std::floor(way)) * (closed_ ? length : 2 * length);
  if (way > length) way = 2 * length - way;
  const auto next =
      static_cast<size_t>(std::distance(ways_m_.begin(), std::ranges::upper_bound(ways_m_, way)));
  if (next >= points_.size()) return points_.back();
  const double from = ways_m_[next - 1], to = ways_m_[next];
  const double share = to > from ? (way - from) / (to - from) : 0;
  return points_[next - 1] + (points_[next] - points_[next - 1]) * share;
}

}  // namespace drevan
