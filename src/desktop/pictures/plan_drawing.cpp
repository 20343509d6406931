// SPDX-License-Identifier: GPL-3.0-or-later
// A path drawn on the plan.
#include <QMouseEvent>
#include <cmath>
#include <numbers>

#include "pictures/plan_picture.h"
#include "reel/edits/edits.h"
#include "steps/places/acoustics_drawn.h"
#include "steps/picture_spec.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double grain_px = 1.5, least_way_px = 12;
}  // namespace

// With Ctrl held anywhere on the plan; where the path is a drawn one, wherever nothing is held.
bool PlanPicture::begins_stroke(const QMouseEvent& e) const {
  if (e.button() != Qt::LeftButton || !plan_rect().contains(e.position())) return false;
  if (e.modifiers().testFlag(Qt::ControlModifier)) return true;
  return value(spec_.path) == spec_.drawn_path && !grip_near(grips(), e.position(), page());
}

void PlanPicture::mousePressEvent(QMouseEvent* e) {
  if (!step() || !begins_stroke(*e)) return StepPicture::mousePressEvent(e);
  stroke_ = {e->position()};
  set_page(parameter(spec_.path).page);
}

void PlanPicture::mouseMoveEvent(QMouseEvent* e) {
  if (stroke_.isEmpty()) return StepPicture::mouseMoveEvent(e);
  if (QLineF(stroke_.back(), e->position()).length() >= 2) stroke_ << e->position();
  update();
}

void PlanPicture::mouseReleaseEvent(QMouseEvent* e) {
  if (stroke_.isEmpty()) return StepPicture::mouseReleaseEvent(e);
  const QPolygonF stroke = std::exchange(stroke_, {});
  update();
  double way = 0;
  for (qsizetype i = 1; i < stroke.size(); ++i) way += QLineF(stroke[i - 1], stroke[i]).length();
  if (step() && way >= least_way_px) take_stroke(stroke);
}

// The source begins where the stroke does.
void PlanPicture::take_stroke(const QPolygonF& stroke) {
  const PlanView v = spec_.view(settings(), 0);
  const Scaled s = scaled(v);
  const Place first = s.place(stroke.front());
  std::vector<Place> points;
  for (const QPointF& at : stroke) points.push_back(s.place(at) - first);
  Settings next = step()->settings;
  for (const DragValue& d : put_source(s, v, stroke.front()))
    next.values[static_cast<size_t>(d.parameter)] = snapped(d, parameter(d.parameter), false);
  next.values[static_cast<size_t>(spec_.path)] = spec_.drawn_path;
  next.texts[static_cast<size_t>(spec_.drawn_text)] =
      DrawnPath::text_of(points, grain_px / s.pixels_per_m);
  work_.document.change([&](const Reel& reel) {
    return edits::set_settings(reel, work_.selection.clip_id(), step_id_, next, "Draw a path");
  });
}

}  // namespace drevan::desktop
