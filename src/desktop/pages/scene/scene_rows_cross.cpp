// SPDX-License-Identifier: GPL-3.0-or-later
// Clips that cross in a row: their crossfades, and the dots that shape them.
#include <QPainter>
#include <cmath>

#include "engine/scene/crossfade.h"
#include "pages/scene/scene_rows.h"
#include "reel/edits/cuts.h"
#include "reel/edits/takes.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double dot_px = 7;

}  // namespace

void SceneRows::duplicate_marked() {
  const auto ids = marked();
  if (ids.empty()) return;
  const Reel& reel = work_.document.reel();
  ReelRange all{latest_place, {0}};
  for (const ClipId id : ids) {
    const ReelRange one = whole_in_reel(work_.scene.times(reel, *reel.find(id)));
    all = {std::min(all.begin, one.begin), std::max(all.end, one.end)};
  }
  std::vector<ClipId> copies;
  work_.document.change([&](const Reel& now) {
    auto edit = edits::duplicate(now, ids, all.length());
    for (const Clip& c : edit.next.clips)
      if (!now.find(c.id)) copies.push_back(c.id);
    return edit;
  });
  if (copies.empty()) return;
  work_.selection.select_clip(copies.front());
  marked_ = {copies.begin(), copies.end()};
  redraw();
  Q_EMIT chosen_changed();
}

void SceneRows::set_layered(bool layered) {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip)) return;
  work_.document.change(
      [id = clip->id, layered](const Reel& reel) { return edits::set_layered(reel, id, layered); });
}

// Looked up once for each state of the reel.
const std::vector<Crossing>& SceneRows::crossings() const {
  const auto reel = work_.document.shared();
  if (crossings_of_ != reel) {
    crossings_of_ = reel;
    crossings_ = Crossings(*reel).take();
  }
  return crossings_;
}

QPointF SceneRows::dot_of(const Crossing& c) const {
  const QRectF row = row_rect(work_.document.reel().find(c.after)->group);
  const double x = x_of((c.over.begin + c.over.length() * c.middle).s);
  const auto gain = static_cast<double>(crossfade(0.5, c.alike).first);
  return {x, row.bottom() - 4 - gain * (row.height() - 18)};
}

QPointF SceneRows::crossing_dot(ClipId before, ClipId after) const {
  for (const Crossing& c : crossings())
    if (c.before == before && c.after == after) return dot_of(c);
  return {};
}

std::optional<std::pair<ClipId, ClipId>> SceneRows::crossing_at(QPointF at) const {
  if (at.x() < ruler_right() || at.y() < rows_top()) return std::nullopt;
  for (const Crossing& c : crossings()) {
    if (folded(work_.document.reel().find(c.after)->group)) continue;
    const QPointF dot = dot_of(c);
    if (std::hypot(dot.x() - at.x(), dot.y() - at.y()) < dot_px)
      return std::pair{c.before, c.after};
  }
  return std::nullopt;
}

void SceneRows::drag_crossing(QPointF at) {
  for (const Crossing& c : crossings()) {
    if (std::pair{c.before, c.after} != crossing_) continue;
    const double middle = (ReelTime{seconds_at(at.x())} - c.over.begin) / c.over.length();
    work_.document.change([pair = crossing_, middle](const Reel& reel) {
      return edits::set_middle(reel, pair.first, pair.second, middle);
    });
    return;
  }
}

void SceneRows::draw_crossings(QPainter& p) const {
  const Theme& t = theme();
  for (const Crossing& c : crossings()) {
    const double left = x_of(c.over.begin.s), right = x_of(c.over.end.s);
    const Clip& coming = *work_.document.reel().find(c.after);
    const QRectF row = row_rect(coming.group);
    if (folded(coming.group)) continue;
    if (right < row.left() || left > row.right() || row.bottom() < rows_top()) continue;
    p.save();
    p.setClipRect(row);
    QPolygonF out, in;
    const double base = row.bottom() - 4, high = row.height() - 18;
    for (double x = left; x <= right; x += std::max(1.0, (right - left) / 64)) {
      const auto [going, comes] =
          crossfade(crossfade_moment((x - left) / (right - left), c.middle), c.alike);
      out << QPointF(x, base - static_cast<double>(going) * high);
      in << QPointF(x, base - static_cast<double>(comes) * high);
    }
    p.setPen(QPen(t.text, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(out);
    p.drawPolyline(in);
    const bool held = drag_ == Drag::cross && crossing_ == std::pair{c.before, c.after};
    if (right - left > 2 * dot_px || held) {
      p.setPen(QPen(held ? t.attention : t.text, 1.5));
      p.setBrush(held ? t.attention : t.window);
      p.drawEllipse(dot_of(c), 4, 4);
    }
    p.restore();
  }
}

}  // namespace drevan::desktop
