// SPDX-License-Identifier: GPL-3.0-or-later
// Moments of a clip that are bound to the picture: small pegs under its silhouette.
#include <QPainter>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/edits/anchors.h"
#include "reel/times/clip_times.h"
#include "reel/scene/scene_edits.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double peg_px = 7;
}

QPointF SceneRows::anchor_point(size_t i) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || folded(clip->group)) return {};
  const auto anchors = anchors_of(work_.document.reel(), *clip);
  if (i >= anchors.size()) return {};
  const double s = drag_ == Drag::anchor && moved_ && anchor_ == static_cast<int>(i)
                       ? edge_s_
                       : in_reel(times_of(work_.document.reel(), *clip), anchors[i].out).s;
  return {x_of(s), row_rect(clip->group).bottom() - 8};
}

int SceneRows::anchor_hit(QPointF at) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || at.x() < ruler_right() || at.y() < rows_top()) return -1;
  const auto n = anchors_of(work_.document.reel(), *clip).size();
  for (size_t i = 0; i < n; ++i)
    if (const QPointF p = anchor_point(i); std::hypot(p.x() - at.x(), p.y() - at.y()) < peg_px)
      return static_cast<int>(i);
  return -1;
}

void SceneRows::bind_at_playhead() {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip))
    return work_.notices.warn(
        tr("Choose a clip first: what is heard of it at the playhead is "
           "bound there."));
  const ClipId id = clip->id;
  const HeardTime at = heard(times_of(work_.document.reel(), *clip), ReelTime{playhead_s_});
  work_.document.change(
      [&](const Reel& reel) { return edits::bind(reel, id, at, edits::StretchWay::pitch); });
}

void SceneRows::drag_anchor(double x, bool snaps) {
  const Clip& clip = held();
  const double s = pressed_s_ + (x - pressed_.x()) * per_pixel_s_;
  edge_s_ = snaps ? snapped(s, {clip.id}).value_or(work_.films.to_picture(s)) : s;
  snap_line_s_ = edge_s_;
  redraw();
}

// Stretched when it is let go, as with ends.
void SceneRows::end_anchor() {
  const ClipId id = grab_.clip();
  const HeardTime to = heard(times_of(work_.document.reel(), held()), ReelTime{edge_s_});
  work_.document.change(
      [&](const Reel& reel) { return edits::move_anchor(reel, id, anchor_, to); });
}

// Bound moments go with their event when it is let go, as part of the same edit.
void SceneRows::end_event() {
  const EventId event = grab_.event();
  const ReelTime to = find_event(work_.document.reel(), event)->at;
  work_.document.change([&](const Reel& reel) {
    return edits::follow_event(edits::move_event(reel, event, to), ReelTime{pressed_s_}, to);
  });
}

void SceneRows::draw_anchors(QPainter& p) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || folded(clip->group)) return;
  const Theme& t = theme();
  const QRectF row = row_rect(clip->group);
  p.save();
  p.setClipRect(QRectF(row.left() - 8, rows_top(), row.width() + 16, viewport()->height()));
  const auto n = anchors_of(work_.document.reel(), *clip).size();
  for (size_t i = 0; i < n; ++i) {
    const QPointF at = anchor_point(i);
    p.setPen(QPen(t.attention, 1.5));
    p.drawLine(QPointF(at.x(), row.top() + 14), at);
    p.setBrush(t.text);
    p.drawPolygon(QPolygonF(
        {at + QPointF(0, -6), at + QPointF(5, 0), at + QPointF(0, 6), at + QPointF(-5, 0)}));
  }
  p.restore();
}

}  // namespace drevan::desktop
