// Clips fitted to the picture in the Scene's rows: ends that are trimmed or stretched, gain as a
// line.
#include <QPainter>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/cuts.h"
#include "reel/made.h"
#include "reel/scene_curves.h"
#include "steps/curve_edit.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double edge_px = 5, point_px = 8, line_px = 5;
}

// --- ends ---

SceneRows::Drag SceneRows::edge_at(QPointF at) const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || folded(clip->group) || at.y() < rows_top()) return Drag::none;
  const QRectF r = clip_rect(clip->id);
  if (at.y() < r.top() || at.y() > r.bottom() || at.x() < header_width + ruler_width)
    return Drag::none;
  if (std::abs(at.x() - r.right()) < edge_px) return Drag::trim_end;
  if (std::abs(at.x() - r.left()) < edge_px) return Drag::trim_begin;
  return Drag::none;
}

void SceneRows::drag_edge(double x, bool snaps) {
  const Clip& clip = *work_.selection.clip();
  const double s = pressed_s_ + (x - pressed_.x()) * per_pixel_s_;
  edge_s_ = snaps ? snapped(s, {clip.id}).value_or(work_.films.to_picture(s)) : s;
  snap_line_s_ = edge_s_;
  viewport()->update();
}

// What was dragged is done when it is let go: a clip is not cut anew with every pixel.
void SceneRows::end_edge() {
  const Clip& clip = *work_.selection.clip();
  const int id = clip.id;
  if (drag_ == Drag::stretch) {
    const auto way = edits::stretch_way(clip).value_or(edits::StretchWay::pitch);
    if (marked_.size() > 1 && marked_.contains(id)) return stretch_marked(clip);
    const double to = edge_s_ - clip.place_s;
    const int one[] = {id};
    work_.document.change([&](const Reel& reel) {
      return settled(edits::stretch_to(reel, id, to, way), one);
    });
    return;
  }
  const SceneSound* sound = work_.scene.sound(id);
  if (sound && !sound->plan->from_clip.identity())
    return work_.notices.warn(
        tr("%1 has another clock than its source; trim it on the Bench, where that is seen.")
            .arg(QString::fromStdString(clip.name)));
  const double own_s = drevan::clip_seconds(work_.document.reel(), clip);
  SecondsRange keep{0, own_s};
  (drag_ == Drag::trim_begin ? keep.begin : keep.end) = edge_s_ - clip.place_s;
  const int one[] = {id};
  work_.document.change(
      [&](const Reel& reel) { return settled(edits::trim(reel, id, keep), one); });
}

// By what the end that is held tells, about the beginning of the first of them.
void SceneRows::stretch_marked(const Clip& held) {
  std::vector<edits::SoundingClip> clips;
  double first_s = held.place_s;
  for (const int id : marked_) {
    const Clip& c = *work_.document.reel().find(id);
    clips.push_back({id, clip_seconds(c)});
    first_s = std::min(first_s, c.place_s);
  }
  const double factor = (edge_s_ - first_s) / (held.place_s + clip_seconds(held) - first_s);
  work_.document.change(
      [&](const Reel& reel) { return edits::stretch_together(reel, clips, factor); });
}

// --- the gain's line ---

const Curve* SceneRows::gain_curve() const {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip) || folded(clip->group)) return nullptr;
  const auto drawn = edits::drawn_gain(*clip);
  return drawn ? curve_of(clip->chain.steps.back().curves, drawn->parameter) : nullptr;
}

// On the row's own ruler; what is louder than 0 dB stands above it, closer together.
double SceneRows::gain_y(double db) const {
  const QRectF row = row_rect(work_.selection.clip()->group);
  if (db <= 0) return y_of(row, db);
  return y_of(row, 0) - std::min(db, 36.0) / 36 * 10;
}
double SceneRows::gain_at(double y) const {
  const QRectF row = row_rect(work_.selection.clip()->group);
  const double zero = y_of(row, 0), bottom = y_of(row, bottom_db);
  if (y < zero) return std::round(2 * std::min(36.0, (zero - y) / 10 * 36)) / 2;
  const double db = (y - zero) / (bottom - zero) * bottom_db;
  return std::round(2 * std::max(db, bottom_db)) / 2;
}

QPointF SceneRows::gain_point(size_t i) const {
  const Curve* curve = gain_curve();
  if (!curve || i >= curve->points.size()) return {};
  const CurvePoint& p = curve->points[i];
  return {x_of(work_.selection.clip()->place_s + p.s), gain_y(p.value)};
}

int SceneRows::gain_hit(QPointF at) const {
  const Curve* curve = gain_curve();
  if (!curve || at.x() < header_width + ruler_width || at.y() < rows_top()) return -1;
  for (size_t i = 0; i < curve->points.size(); ++i)
    if (const QPointF p = gain_point(i); std::hypot(p.x() - at.x(), p.y() - at.y()) < point_px)
      return static_cast<int>(i);
  const Clip& clip = *work_.selection.clip();
  const QRectF r = clip_rect(clip.id);
  if (at.x() < r.left() || at.x() > r.right()) return -1;
  const Parameter& of = clip.chain.steps.back().type->parameters[0];
  const double y = gain_y(value_at(*curve, of, seconds_at(at.x()) - clip.place_s));
  return std::abs(y - at.y()) < line_px ? static_cast<int>(curve->points.size()) : -1;
}

void SceneRows::toggle_gain_line() {
  const Clip* clip = work_.selection.clip();
  if (!clip || is_bus(*clip))
    return work_.notices.warn(tr("Choose a clip first: its gain is drawn over its row."));
  const double length = clip_seconds(*clip);
  const int id = clip->id;
  std::optional<Curve> curve;
  if (!gain_curve()) {
    const double now = edits::drawn_gain(*clip) ? clip->chain.steps.back().settings[0] : 0;
    curve = Curve{{{0, now}, {std::max(0.1, length), now}}};
  }
  work_.document.change([&](const Reel& reel) { return edits::draw_gain(reel, id, curve); });
  work_.document.end_merge();
}

void SceneRows::press_gain(int hit, QPointF at) {
  const Curve& curve = *gain_curve();
  work_.document.end_merge();
  drag_ = Drag::gain;
  gain_point_ = static_cast<size_t>(hit);
  if (hit < std::ssize(curve.points)) return;
  const Clip& clip = *work_.selection.clip();
  const Parameter& of = clip.chain.steps.back().type->parameters[0];
  const double s = seconds_at(at.x()) - clip.place_s;
  const Curve fresh = with_point(curve, of, s, gain_at(at.y()));
  gain_point_ = nearest_point(fresh, s);
  work_.document.change([&](const Reel& reel) { return edits::draw_gain(reel, clip.id, fresh); });
}

void SceneRows::drag_gain(QPointF at) {
  const Curve* curve = gain_curve();
  if (!curve || gain_point_ >= curve->points.size()) return;
  const Clip& clip = *work_.selection.clip();
  const Curve moved =
      with_moved_point(*curve, gain_point_, seconds_at(at.x()) - clip.place_s, gain_at(at.y()));
  moved_ = true;
  const int id = clip.id;
  work_.document.change([&](const Reel& reel) { return edits::draw_gain(reel, id, moved); });
}

void SceneRows::draw_gain_line(QPainter& p) const {
  const Curve* curve = gain_curve();
  if (!curve) return;
  const Theme& t = theme();
  const Clip& clip = *work_.selection.clip();
  const QRectF row = row_rect(clip.group), r = clip_rect(clip.id);
  const Parameter& of = clip.chain.steps.back().type->parameters[0];
  p.save();
  p.setClipRect(QRectF(row.left() - 8, rows_top(), row.width() + 16, viewport()->height()));
  QPolygonF line;
  for (double x = std::max(r.left(), row.left()); x <= std::min(r.right(), row.right()); x += 2)
    line << QPointF(x, gain_y(value_at(*curve, of, seconds_at(x) - clip.place_s)));
  p.setPen(QPen(t.attention, 2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(line);
  p.setPen(QPen(t.attention, 2));
  p.setBrush(t.text);
  for (size_t i = 0; i < curve->points.size(); ++i) p.drawEllipse(gain_point(i), 4.5, 4.5);
  if (drag_ == Drag::gain && gain_point_ < curve->points.size()) {
    p.setFont(small_font());
    p.setPen(t.attention);
    p.drawText(gain_point(gain_point_) + QPointF(10, -6),
               tr("%1 dB").arg(curve->points[gain_point_].value, 0, 'f', 1));
  }
  p.restore();
}

}  // namespace drevan::desktop
