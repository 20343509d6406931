// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "engine/listening/level_path.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -60, highest_out = 6;
}

TransferPicture::TransferPicture(const Work& work, StepId id, const TransferSpec& spec,
                                 QWidget* parent)
    : StepPicture(
          work, id, tr("Transfer curve"),
          tr("Level out over level in, dB. Drag the dashed line to set the threshold or the "
             "ceiling, drag the curve where it bends to set how much. The dot is the level "
             "now, the bar what is taken."),
          parent),
      spec_(spec) {}

QRectF TransferPicture::plot_rect() const {
  return StepPicture::plot_rect().adjusted(0, 0, -46, 0);
}
LevelAxis TransferPicture::in_axis() const { return {plot_rect(), lowest, 0, Qt::Horizontal}; }
LevelAxis TransferPicture::out_axis() const { return {plot_rect(), lowest, highest_out}; }

Grip TransferPicture::line_grip() const {
  const bool lies = spec_.ceiling >= 0;
  const int index = lies ? spec_.ceiling : spec_.threshold;
  const LevelAxis axis = lies ? out_axis() : in_axis();
  const double place = axis.within(settings()[static_cast<size_t>(index)]);
  const QPointF middle = plot_rect().center();
  return {.form = lies ? Grip::Form::level_line : Grip::Form::upright_line,
          .at = lies ? QPointF(middle.x(), place) : QPointF(place, middle.y()),
          .drag =
              [axis, index](QPointF at) {
                return std::vector<DragValue>{{index, axis.db_at(at), 0.5}};
              },
          .resets = {index}};
}

// How much the curve bends: a dot on it, and all of the side of the line where it does, or
// everywhere when there is no line.
Grip TransferPicture::bend_grip() const {
  Grip grip{.reach = 12, .within = plot_rect(), .elsewhere = true};
  const QRectF r = plot_rect();
  const int index = spec_.ratio >= 0 ? spec_.ratio : spec_.drive;
  if (spec_.ceiling >= 0) grip.within.setTop(line_grip().at.y());
  if (spec_.threshold >= 0 && spec_.bends_below)
    grip.within = QRectF(r.topLeft(), QPointF(line_grip().at.x(), r.bottom()));
  else if (spec_.threshold >= 0)
    grip.within = QRectF(QPointF(line_grip().at.x(), r.top()), r.bottomRight());
  const double in_db = in_axis().db_at(grip.within.center());
  grip.at = {in_axis().place_of(in_db), out_axis().within(spec_.transfer_db(settings(), in_db))};
  grip.resets = {index};
  grip.drag = [this, index](QPointF at) {
    const double in = in_axis().db_at(at), out = out_axis().db_at(at);
    if (index == spec_.ratio) return std::vector<DragValue>{{index, ratio_through(in, out), 0.1}};
    const double drive = spec_.ceiling >= 0 ? out - in : drive_through(in, out);
    return std::vector<DragValue>{{index, drive, 0.5}};
  };
  return grip;
}

std::vector<Grip> TransferPicture::grips() const {
  std::vector<Grip> all;
  const bool line = spec_.threshold >= 0 || spec_.ceiling >= 0;
  if (line) all.push_back(line_grip());
  if (spec_.ratio >= 0 || spec_.drive >= 0) all.push_back(bend_grip());
  if (spec_.hold >= 0) {
    const LevelAxis axis = in_axis();
    const double db = settings()[static_cast<size_t>(spec_.hold)];
    all.push_back(
        {.form = Grip::Form::upright_line,
         .at = {axis.within(db), plot_rect().bottom()},
         .within = QRectF(plot_rect().left() - 8, plot_rect().bottom() - 14,
                          plot_rect().width() + 16, 18),
         .drag =
             [this, axis](QPointF to) {
               const double to_db = axis.db_at(to);
               return std::vector<DragValue>{
                   {spec_.hold, to_db < lowest ? parameter(spec_.hold).least : to_db, 0.5}};
             },
         .resets = {spec_.hold}});
  }
  if (!line) return all;
  // Where the curve is straight the line comes to the pointer.
  all.push_back(line_grip());
  all.back().reach = -1;
  all.back().elsewhere = true;
  return all;
}

void TransferPicture::live(std::span<const float> readings, std::span<const float>,
                           std::span<const float>) {
  is_live_ = readings.size() >= 2;
  level_db_ = is_live_ ? static_cast<double>(readings[0]) : -200;
  reduction_db_ = is_live_ ? static_cast<double>(readings[1]) : 0;
  update();
}

void TransferPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  out_axis().draw(p, 12);
  in_axis().draw(p, 12);
  draw_curve(p);
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    if (all[i].reach < 0) continue;
    if (spec_.hold >= 0 && !all[i].resets.empty() && all[i].resets[0] == spec_.hold) {
      draw_hold(p, i, all[i]);
      continue;
    }
    if (all[i].form != Grip::Form::dot) {
      draw_line(p, i, all[i], plot_rect());
      continue;
    }
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(i) ? t.attention : t.after);
    p.drawEllipse(all[i].at, 6, 6);
  }
  if (is_live_ && level_db_ > lowest) {
    p.setPen(QPen(t.window, 1));
    p.setBrush(t.text);
    p.drawEllipse(
        QPointF(in_axis().within(level_db_), out_axis().within(level_db_ - reduction_db_)), 5, 5);
  }
  draw_reduction(p);
}

void TransferPicture::draw_curve(QPainter& p) const {
  const Theme& t = theme();
  const LevelAxis in = in_axis(), out = out_axis();
  p.setClipRect(plot_rect());
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(in.place_of(lowest), out.place_of(lowest)),
             QPointF(in.place_of(0), out.place_of(0)));
  QPolygonF curve;
  const Settings now = settings();
  for (double db = lowest; db <= 0; db += 0.5)
    curve << QPointF(in.place_of(db), out.within(spec_.transfer_db(now, db)));
  p.setPen(QPen(step()->on ? t.after : t.quiet, 2.2));
  p.drawPolyline(curve);
  p.setClipping(false);
}

// Below the held level all is grey: the gain stays put there. Beside it the room's own level.
void TransferPicture::draw_hold(QPainter& p, size_t grip, const Grip& hold) const {
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const bool on = settings()[static_cast<size_t>(spec_.hold)] > lowest;
  if (on) {
    p.fillRect(QRectF(r.topLeft(), QPointF(hold.at.x(), r.bottom())), faded(t.quiet, 0.22));
    draw_line(p, grip, hold, r);
  }
  const auto stage = measured_stage();
  if (stage) {
    const auto room = work_.measurements.levels()->stages[*stage].noise_floor_dbfs;
    if (room && *room > lowest) {
      const double x = in_axis().within(*room);
      p.setPen(QPen(t.removed, 1.5));
      p.drawLine(QPointF(x, r.bottom()), QPointF(x, r.bottom() - 26));
      p.drawText(QRectF(x + 4, r.bottom() - 30, 60, 14), Qt::AlignLeft, tr("room"));
    }
  }
  p.setPen(QPen(t.window, 1.5));
  p.setBrush(holds(grip) ? t.text : t.attention);
  p.drawEllipse(hold.at, 5, 5);
}

// Beside the plot, from the top down.
void TransferPicture::draw_reduction(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const QRectF bar(r.right() + 14, r.top(), 22, r.height());
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(bar, 4, 4);
  const double taken = std::clamp(reduction_db_ / 24, 0.0, 1.0) * bar.height();
  p.setBrush(t.attention);
  if (taken > 0.5) p.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width(), taken), 4, 4);
  p.setPen(t.attention);
  p.drawText(QRectF(bar.left() - 12, bar.bottom() + 2, bar.width() + 24, 14), Qt::AlignCenter,
             QString::number(reduction_db_ > 0.05 ? -reduction_db_ : 0.0, 'f', 1));
}

// The drive whose curve passes nearest to the pointer.
double TransferPicture::drive_through(double in, double out) const {
  Settings s = settings();
  const auto at = static_cast<size_t>(spec_.drive);
  const auto& p = parameter(spec_.drive);
  double best = s[at], least = 1e9;
  for (double drive = p.least; drive <= p.most; drive += 0.5) {
    s.values[at] = drive;
    const double off = std::abs(spec_.transfer_db(s, in) - out);
    if (off < least) least = off, best = drive;
  }
  return best;
}

// The ratio whose line from the threshold passes through the pointer.
double TransferPicture::ratio_through(double in, double out) const {
  const Settings now = settings();
  const double threshold = now[static_cast<size_t>(spec_.threshold)];
  const double from =
      threshold + (spec_.make_up >= 0 ? now[static_cast<size_t>(spec_.make_up)] : 0);
  const double way =
      spec_.bends_below ? std::min(in - threshold, -0.1) : std::max(in - threshold, 0.1);
  const double slope = std::max((out - from) / way, 1e-3);
  return spec_.bends_below ? slope : 1 / slope;
}

}  // namespace drevan::desktop
