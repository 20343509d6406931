// SPDX-License-Identifier: GPL-3.0-or-later
// A path that was drawn by hand.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "dsp/room.h"

namespace drevan {

/// Points on the plan, metres from where the source stands, joined softly (E. Catmull, R. Rom, "A
/// class of local interpolating splines", 1974). One whose ends meet is gone round; another to its
/// end and back.
class DrawnPath {
 public:
  static constexpr size_t most_points = 200;
  static constexpr double farthest_m = 400;

  DrawnPath() = default;
  /// "0 0, 1.5 2, 3 1.2". Text with a fault makes no path.
  explicit DrawnPath(std::string_view text);
  /// What is wrong with a text, to stand behind its label; empty: nothing.
  static std::string fault(std::string_view text);
  /// As a text: points that lie within `grain_m` of a line between others are left out (U. Ramer,
  /// 1972; D. Douglas, T. Peucker, 1973).
  static std::string text_of(const std::vector<Place>& points, double grain_m);

  bool empty() const { return points_.size() < 2; }
  /// Once round, or to its end.
  double length_m() const { return empty() ? 0 : ways_m_.back(); }
  /// Where one is who has gone so far along it; below 0: the other way.
  Place at(double gone_m) const noexcept;

 private:
  std::vector<Place> points_;
  std::vector<double> ways_m_;  // to each point
  bool closed_ = false;
};

}  // namespace drevan
