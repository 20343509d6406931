// SPDX-License-Identifier: GPL-3.0-or-later
// A setting of the selected clip, space or mix over time, as a line over its row: its gain on the
// row's own ruler, what it sends into a space, or any setting of its chains.
#include <QPainter>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/sends.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double point_px = 8, line_px = 5;

// The setting whose curve it is; nullptr: the clip has no such step.
const ChainStep* step_of(const Reel& reel, const Clip& clip, const RowLine& line) {
  return line.step != 0 ? find_step(reel, clip, line.step) : nullptr;
}

}  // namespace

const Clip* SceneRows::line_clip() const {
  const Clip* clip = work_.selection.clip();
  return clip && (is_bus(*clip) || !folded(clip->group)) ? clip : nullptr;
}

// What is drawn: what was chosen, where the clip has it, else its gain.
RowLine SceneRows::line() const {
  const Clip* clip = line_clip();
  if (!clip || line_.of_gain()) return {};
  const Reel& reel = work_.document.reel();
  if (line_.step != 0) return step_of(reel, *clip, line_) ? line_ : RowLine{};
  return !is_bus(*clip) && find_space(reel, line_.space) ? line_ : RowLine{};
}

const Parameter& SceneRows::line_parameter() const {
  const RowLine of = line();
  if (of.space != 0) return send_level_parameter();
  if (of.step == 0) return parameter_of(step_for(Role::gain), "gain_db");
  const ChainStep& step = *step_of(work_.document.reel(), *line_clip(), of);
  return parameter_of_track(*step.type, of.parameter);
}

std::optional<Curve> SceneRows::line_curve() const {
  const Clip* clip = line_clip();
  if (!clip) return std::nullopt;
  const Reel& reel = work_.document.reel();
  const RowLine of = line();
  if (of.space != 0) {
    for (const Send& s : sends_of(reel, *clip))
      if (s.space == of.space) return s.level;
    return std::nullopt;
  }
  if (of.step == 0) {
    const auto drawn = edits::drawn_gain(*clip);
    const Curve* curve =
        drawn ? curve_of(clip->chain.steps.back().curves, drawn->parameter) : nullptr;
    return curve ? std::optional(*curve) : std::nullopt;
  }
  const Curve* curve = curve_of(step_of(reel, *clip, of)->curves, of.parameter);
  return curve ? std::optional(*curve) : std::nullopt;
}

// Curves of the clip's own count from its beginning, those of its group and the reel the reel's.
double SceneRows::line_begin_s() const {
  const Clip& clip = *line_clip();
  const RowLine of = line();
  if (of.step == 0) return clip.place.s;
  const auto place = place_of(work_.document.reel(), clip, of.step);
  return place && place->owner != ChainOwner::clip ? 0 : clip.place.s;
}

void SceneRows::draw_line_as(const std::optional<Curve>& curve) {
  const ClipId id = work_.selection.clip_id();
  const RowLine of = line();
  work_.document.change([&](const Reel& reel) {
    if (of.space != 0) return edits::draw_send(reel, id, of.space, curve);
    if (of.step != 0) return edits::set_curve(reel, id, of.step, of.parameter, curve);
    return edits::draw_gain(reel, id, curve);
  });
}

// Gain stands on the row's own ruler; what is louder than 0 dB above it, closer together. Everything
// else from the bottom of its range to the top.
double SceneRows::line_y(double value) const {
  const QRectF row = row_of(*line_clip());
  const double top = y_of(row, 0), bottom = y_of(row, bottom_db);
  if (!line().of_gain()) return bottom - to_fraction(line_parameter(), value) * (bottom - top);
  if (value <= 0) return y_of(row, value);
  return top - std::min(value, 36.0) / 36 * 10;
}
double SceneRows::line_value(double y) const {
  const QRectF row = row_of(*line_clip());
  const double top = y_of(row, 0), bottom = y_of(row, bottom_db);
  if (!line().of_gain()) {
    const Parameter& p = line_parameter();
    const double value = from_fraction(p, std::clamp((bottom - y) / (bottom - top), 0.0, 1.0));
    return p.whole || only_holds(p) ? std::round(value) : value;
  }
  if (y < top) return std::round(2 * std::min(36.0, (top - y) / 10 * 36)) / 2;
  const double db = (y - top) / (bottom - top) * bottom_db;
  return std::round(2 * std::max(db, bottom_db)) / 2;
}

QPointF SceneRows::line_point(size_t i) const {
  const auto curve = line_curve();
  if (!curve || i >= curve->points.size()) return {};
  const CurvePoint& p = curve->points[i];
  return {x_of(line_begin_s() + p.s), line_y(p.value)};
}

int SceneRows::line_hit(QPointF at) const {
  const auto curve = line_curve();
  if (!curve || at.x() < header_width + ruler_width || at.y() < rows_top()) return -1;
  const double begin_s = line_begin_s();
  for (size_t i = 0; i < curve->points.size(); ++i) {
    const double x = x_of(begin_s + curve->points[i].s);
    if (std::abs(x - at.x()) >= point_px) continue;
    if (std::hypot(x - at.x(), line_y(curve->points[i].value) - at.y()) < point_px)
      return static_cast<int>(i);
  }
  const QRectF r = clip_rect(line_clip()->id);
  if (at.x() < r.left() || at.x() > r.right()) return -1;
  const double y = line_y(value_at(*curve, line_parameter(), seconds_at(at.x()) - line_begin_s()));
  return std::abs(y - at.y()) < line_px ? static_cast<int>(curve->points.size()) : -1;
}

void SceneRows::toggle_gain_line() {
  line_ = {};
  line_curve() ? take_line_out() : show_line({});
}

void SceneRows::take_line_out() {
  if (!line_clip()) return;
  draw_line_as(std::nullopt);
  work_.document.end_merge();
}

void SceneRows::show_line(const RowLine& of) {
  if (!line_clip())
    return work_.notices.warn(
        tr("Choose a clip, a space or the mix first: settings are drawn over its row."));
  line_ = of;
  redraw();
  if (line_curve()) return;
  // It begins as it is: two points to hold.
  const Clip& clip = *line_clip();
  const Reel& reel = work_.document.reel();
  double now = 0;
  if (of.of_gain()) {
    if (edits::drawn_gain(clip)) now = clip.chain.steps.back().settings[0];
  } else if (of.space != 0) {
    now = off_send_db;
    for (const Send& s : sends_of(reel, clip))
      if (s.space == of.space) now = s.level_db;
  } else {
    const ChainStep& step = *step_of(reel, clip, of);
    now = of.parameter == on_parameter ? (step.on ? 1 : 0)
                                       : step.settings[static_cast<size_t>(of.parameter)];
  }
  const CurveShape shape = only_holds(line_parameter()) ? CurveShape::hold : CurveShape::line;
  const double from = clip.place.s - line_begin_s();
  draw_line_as(Curve{{{from, now, shape}, {from + std::max(0.1, clip_seconds(clip)), now, shape}}});
  work_.document.end_merge();
}

void SceneRows::press_line(int hit, QPointF at) {
  const Curve curve = *line_curve();
  work_.document.end_merge();
  drag_ = Drag::line;
  grab_ = Grab::of_clip(work_.document, line_clip()->id);
  line_point_ = static_cast<size_t>(hit);
  if (hit < std::ssize(curve.points)) return;
  const double s = seconds_at(at.x()) - line_begin_s();
  const Curve fresh = with_point(curve, line_parameter(), s, line_value(at.y()));
  line_point_ = nearest_point(fresh, s);
  draw_line_as(fresh);
}

void SceneRows::drag_line(QPointF at) {
  const auto curve = line_curve();
  if (!curve || line_point_ >= curve->points.size()) return;
  moved_ = true;
  draw_line_as(with_moved_point(*curve, line_point_, seconds_at(at.x()) - line_begin_s(),
                                line_value(at.y())));
}

void SceneRows::take_point_out(int hit) {
  const auto curve = line_curve();
  if (curve && hit < std::ssize(curve->points))
    draw_line_as(without_point(*curve, static_cast<size_t>(hit)));
}

void SceneRows::draw_line(QPainter& p) const {
  const auto curve = line_curve();
  if (!curve) return;
  const Theme& t = theme();
  const Clip& clip = *line_clip();
  const Parameter& of = line_parameter();
  const QRectF row = row_of(clip), r = clip_rect(clip.id);
  const double begin_s = line_begin_s();
  const bool whole_row = begin_s != clip.place.s;
  const double from = whole_row ? row.left() : std::max(r.left(), row.left()),
               to = whole_row ? row.right() : std::min(r.right(), row.right());
  p.save();
  p.setClipRect(QRectF(row.left() - 8, rows_top(), row.width() + 16, viewport()->height()));
  QPolygonF drawn;
  for (double x = from; x <= to; x += 2)
    drawn << QPointF(x, line_y(value_at(*curve, of, seconds_at(x) - begin_s)));
  p.setPen(QPen(t.attention, 2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(drawn);
  p.setBrush(t.text);
  for (const CurvePoint& point : curve->points)
    p.drawEllipse(QPointF(x_of(begin_s + point.s), line_y(point.value)), 4.5, 4.5);
  p.setFont(small_font());
  p.setPen(t.attention);
  if (drag_ == Drag::line && line_point_ < curve->points.size())
    p.drawText(line_point(line_point_) + QPointF(10, -6),
               QString::fromStdString(value_text(of, curve->points[line_point_].value)));
  // Gain needs no name: it lies on the ruler.
  if (!line().of_gain()) {
    const QString name = tr("%1, %2 to %3")
                             .arg(line_name(), QString::fromStdString(value_text(of, of.least)),
                                  QString::fromStdString(value_text(of, of.most)));
    const double wide = p.fontMetrics().horizontalAdvance(name) + 10;
    const double left =
        to + 8 + wide < row.right() ? to + 8 : std::max(row.left(), from - 8 - wide);
    const QRectF box(left, row.bottom() - 20, wide, 16);
    p.setPen(Qt::NoPen);
    p.setBrush(faded(t.window, 0.8));
    p.drawRoundedRect(box, 3, 3);
    p.setPen(t.attention);
    p.drawText(box, Qt::AlignCenter, name);
  }
  p.restore();
}

QString SceneRows::line_name() const {
  const RowLine of = line();
  const Reel& reel = work_.document.reel();
  if (of.space != 0)
    return tr("into %1").arg(QString::fromStdString(find_space(reel, of.space)->clip.name));
  const auto label = [](std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
  };
  if (of.step == 0) return tr("gain");
  const ChainStep& step = *step_of(reel, *line_clip(), of);
  const QString name = label(step.type->label);
  return of.parameter == on_parameter ? tr("%1, on").arg(name)
                                      : tr("%1, %2").arg(name, label(line_parameter().label));
}

}  // namespace drevan::desktop
