// Clips that cross in a row: their crossfades, and the dots that shape them.
#include <QPainter>
#include <cmath>

#include "audio/error.h"
#include "engine/crossfade.h"
#include "pages/scene/scene_rows.h"
#include "reel/cuts.h"
#include "reel/takes.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double dot_px = 7;

// What cannot be read is crossed as sounds that have nothing in common.
double alike_or_not(const Reel& reel, const Crossing& crossing) {
  try {
    return alike_where_they_cross(reel, crossing);
  } catch (const Error&) {
    return 0;
  }
}

}  // namespace

edits::Edit SceneRows::settled(edits::Edit edit, std::span<const int> clips) const {
  const Reel now = edit.next;
  const auto length = [&](const Clip& clip) { return work_.scene.length(now, clip); };
  return edits::settle_crossings(std::move(edit), clips, length, alike_or_not);
}

void SceneRows::duplicate_marked() {
  const auto ids = marked();
  if (ids.empty()) return;
  const Reel& reel = work_.document.reel();
  double begin = 1e9, end = 0;
  for (const int id : ids) {
    const Clip& c = *reel.find(id);
    begin = std::min(begin, c.place_s);
    end = std::max(end, c.place_s + work_.scene.length(reel, c).seconds);
  }
  std::vector<int> copies;
  work_.document.change([&](const Reel& now) {
    auto edit = edits::duplicate(now, ids, end - begin);
    for (int id = now.last_clip_id + 1; id <= edit.next.last_clip_id; ++id) copies.push_back(id);
    return settled(std::move(edit), copies);
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
  const int id[] = {clip->id};
  work_.document.change([&](const Reel& reel) {
    const auto length = [&](const Clip& c) { return work_.scene.length(reel, c); };
    auto edit = edits::set_layered(reel, id[0], layered, length);
    return layered ? edit : settled(std::move(edit), id);
  });
}

std::vector<Crossing> SceneRows::crossings() const {
  const Reel& reel = work_.document.reel();
  const auto length = [&](const Clip& c) { return work_.scene.length(reel, c); };
  std::vector<Crossing> out;
  for (const Clip& going : reel.clips) {
    if (!going.fade_out.alike || folded(going.group) || left_out(reel, going)) continue;
    for (const Clip& coming : reel.clips)
      if (coming.fade_in.alike && coming.group == going.group && coming.id != going.id)
        if (const auto one = crossed(reel, going.id, coming.id, length)) out.push_back(*one);
  }
  return out;
}

QPointF SceneRows::dot_of(const Crossing& c) const {
  const Clip& coming = *work_.document.reel().find(c.after);
  const QRectF row = row_rect(coming.group);
  const double x = x_of(c.begin_s + coming.fade_in.middle * (c.end_s - c.begin_s));
  const auto gain = static_cast<double>(crossfade(0.5, c.alike).first);
  return {x, row.bottom() - 4 - gain * (row.height() - 18)};
}

QPointF SceneRows::crossing_dot(int before, int after) const {
  for (const Crossing& c : crossings())
    if (c.before == before && c.after == after) return dot_of(c);
  return {};
}

std::optional<std::pair<int, int>> SceneRows::crossing_at(QPointF at) const {
  if (at.x() < ruler_right() || at.y() < rows_top()) return std::nullopt;
  for (const Crossing& c : crossings()) {
    const QPointF dot = dot_of(c);
    if (std::hypot(dot.x() - at.x(), dot.y() - at.y()) < dot_px)
      return std::pair{c.before, c.after};
  }
  return std::nullopt;
}

void SceneRows::drag_crossing(QPointF at) {
  for (const Crossing& c : crossings()) {
    if (std::pair{c.before, c.after} != crossing_) continue;
    const double middle = (seconds_at(at.x()) - c.begin_s) / (c.end_s - c.begin_s);
    work_.document.change(
        [&](const Reel& reel) { return edits::set_middle(reel, c.before, c.after, middle); });
    return;
  }
}

void SceneRows::draw_crossings(QPainter& p) const {
  const Theme& t = theme();
  for (const Crossing& c : crossings()) {
    const double left = x_of(c.begin_s), right = x_of(c.end_s);
    const Clip& coming = *work_.document.reel().find(c.after);
    const QRectF row = row_rect(coming.group);
    if (right < row.left() || left > row.right() || row.bottom() < rows_top()) continue;
    p.save();
    p.setClipRect(row);
    QPolygonF out, in;
    const double base = row.bottom() - 4, high = row.height() - 18;
    for (double x = left; x <= right; x += std::max(1.0, (right - left) / 64)) {
      const auto [going, comes] =
          crossfade(crossfade_moment((x - left) / (right - left), coming.fade_in.middle), c.alike);
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
