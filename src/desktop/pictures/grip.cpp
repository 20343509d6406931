// SPDX-License-Identifier: GPL-3.0-or-later
#include "pictures/grip.h"

#include <QLineF>
#include <algorithm>
#include <cmath>

namespace drevan::desktop {

namespace {
// Of grips that lie together the one whose settings are shown is taken.
constexpr double shown_bonus = 2;
}  // namespace

double distance(const Grip& grip, QPointF point) {
  switch (grip.form) {
    case Grip::Form::level_line:
      return std::abs(point.y() - grip.at.y());
    case Grip::Form::upright_line:
      return std::abs(point.x() - grip.at.x());
    case Grip::Form::dot:
      break;
  }
  return QLineF(point, grip.at).length();
}

std::optional<size_t> grip_near(const std::vector<Grip>& grips, QPointF point, int page) {
  const auto may = [&](const Grip& g) { return g.within.isEmpty() || g.within.contains(point); };
  std::optional<size_t> best;
  double least = 1e9;
  for (size_t i = 0; i < grips.size(); ++i) {
    const double d = distance(grips[i], point);
    const double weighed = d - (grips[i].page == page && page > 0 ? shown_bonus : 0);
    if (d > grips[i].reach || weighed >= least || !may(grips[i])) continue;
    least = weighed;
    best = i;
  }
  for (size_t i = 0; i < grips.size() && !best; ++i)
    if (grips[i].elsewhere && may(grips[i])) best = i;
  return best;
}

QPointF held_offset(const Grip& grip, QPointF point) {
  if (distance(grip, point) > grip.reach) return {};
  const QPointF way = grip.at - point;
  switch (grip.form) {
    case Grip::Form::level_line:
      return {0, way.y()};
    case Grip::Form::upright_line:
      return {way.x(), 0};
    case Grip::Form::dot:
      break;
  }
  return way;
}

double snapped(const DragValue& value, const Parameter& parameter, bool fine) {
  const double grain = parameter.whole ? 1 : value.grain * (fine ? 0.2 : 1);
  const double on_grain = grain > 0 ? std::round(value.value / grain) * grain : value.value;
  return std::clamp(on_grain, parameter.least, parameter.most);
}

}  // namespace drevan::desktop
