// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>
#include <numbers>

#include "engine/listening/level_path.h"
#include "measure/spectrum.h"
#include "pictures/place_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {

// Distortion reaches from a tenth of a percent to all, by decades.
constexpr double least_pct = 0.1, most_pct = 100;
double height_of_pct(const QRectF& r, double pct) {
  const double share =
      std::log(std::clamp(pct, least_pct, most_pct) / least_pct) / std::log(most_pct / least_pct);
  return r.bottom() - share * r.height();
}

// Seen from above, its front upwards; 30 dB from the middle to the rim.
constexpr double plan_reach_db = 30;
QPointF on_plan(const QRectF& r, double angle_deg, double db) {
  const double radius = r.width() / 2 * std::clamp(1 + db / plan_reach_db, 0.0, 1.0);
  const double a = angle_deg * std::numbers::pi / 180;
  return r.center() + QPointF(radius * std::sin(a), -radius * std::cos(a));
}

}  // namespace

LoudspeakerPicture::LoudspeakerPicture(const Work& work, StepId id, const LoudspeakerSpec& spec,
                                       QWidget* parent)
    : StepPicture(work, id, tr("The loudspeaker"),
                  tr("Left: what comes out of it; drag its two ends. Middle: how much it distorts "
                     "over the level that enters; drag the line where it clips. Right: from "
                     "above; drag yourself round it."),
                  parent),
      spec_(spec) {}

QRectF LoudspeakerPicture::response_rect() const {
  QRectF r = plot_rect();
  r.setWidth(r.width() * 0.44);
  return r;
}
QRectF LoudspeakerPicture::distortion_rect() const {
  QRectF r = plot_rect();
  r.setLeft(response_rect().right() + 44);
  r.setRight(std::max(r.left() + 40, plan_rect().left() - 16));
  return r;
}
QRectF LoudspeakerPicture::plan_rect() const {
  const QRectF r = plot_rect();
  const double side = std::min(r.height() - 14, r.width() * 0.22);
  return {r.right() - side - 6, r.center().y() - side / 2, side, side};
}

double LoudspeakerPicture::gain_at(double hz) const {
  return spec_.response_db(settings(), std::array{hz}).front();
}

Grip LoudspeakerPicture::end_grip(int parameter, double hz) const {
  const FrequencyAxis axis = frequencies();
  // Where it would stand unmoved.
  const double standard_hz = hz / std::exp2(value(parameter) / 12);
  return {.at = {axis.x_of(hz), gains().within(gain_at(hz))},
          .reach = 12,
          .drag =
              [this, parameter, standard_hz](QPointF to) {
                const double st = 12 * std::log2(frequencies().hz_at(to.x()) / standard_hz);
                return std::vector<DragValue>{{parameter, st, 0.1}};
              },
          .resets = {parameter}};
}

std::vector<Grip> LoudspeakerPicture::grips() const {
  const Settings now = settings();
  const auto [low_hz, high_hz] = spec_.ends_hz(now);
  std::vector<Grip> all{end_grip(spec_.low, low_hz), end_grip(spec_.high, high_hz)};
  // More drive lets it clip at a lower level.
  const double clips = spec_.clips_at_db(now), undriven = clips + value(spec_.drive);
  all.push_back(
      {.form = Grip::Form::upright_line,
       .at = {entering().within(clips), distortion_rect().center().y()},
       .within = distortion_rect(),
       .drag =
           [this, undriven](QPointF to) {
             return std::vector<DragValue>{{spec_.drive, undriven - entering().db_at(to), 0.1}};
           },
       .resets = {spec_.drive}});
  all.push_back({.at = on_plan(plan_rect(), value(spec_.angle), 0),
                 .reach = 14,
                 .drag =
                     [this](QPointF to) {
                       const QPointF way = to - plan_rect().center();
                       const double deg =
                           std::atan2(std::abs(way.x()), -way.y()) * 180 / std::numbers::pi;
                       return std::vector<DragValue>{{spec_.angle, deg, 1}};
                     },
                 .resets = {spec_.angle}});
  return all;
}

void LoudspeakerPicture::draw_response(QPainter& p) const {
  const Theme& t = theme();
  const FrequencyAxis axis = frequencies();
  const LevelAxis gain = gains();
  axis.draw(p);
  gain.draw(p, 12);
  p.setClipRect(response_rect());
  if (const auto* l = work_.measurements.levels(); l && !l->spectrum_in.empty()) {
    const auto line = [&](std::span<const float> power) {
      return spectrum_line(axis, power, work_.document.reel().rate / SpectrumMeter::size, -10, 3);
    };
    fill_below(p, line(l->spectrum_out), response_rect().bottom(), faded(t.after, 0.22));
    p.setPen(QPen(faded(t.before, 0.8), 1));
    p.drawPolyline(line(l->spectrum_in));
  }
  std::vector<double> hz;
  for (double x = response_rect().left(); x <= response_rect().right(); x += 1.5)
    hz.push_back(axis.hz_at(x));
  const auto db = spec_.response_db(settings(), hz);
  QPolygonF curve;
  for (size_t i = 0; i < hz.size(); ++i)
    curve << QPointF(response_rect().left() + 1.5 * static_cast<double>(i), gain.place_of(db[i]));
  p.setPen(QPen(step()->on ? t.after : t.quiet, 2));
  p.drawPolyline(curve);
  p.setClipping(false);
}

void LoudspeakerPicture::draw_distortion(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = distortion_rect();
  const LevelAxis in = entering();
  p.setPen(QPen(faded(t.line, 0.7), 1));
  for (const double pct : {0.1, 1.0, 10.0, 100.0}) {
    const double y = height_of_pct(r, pct);
    p.setPen(QPen(faded(t.line, 0.7), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(r.left() - 42, y - 8, 38, 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1 %").arg(pct));
  }
  in.draw(p, r.width() > 130 ? 12 : 24);
  // How loud the clip gets here.
  const auto stage = measured_stage();
  if (stage) {
    const double peak = work_.measurements.levels()->stages[*stage].sample_peak_dbfs.value_or(-90);
    p.fillRect(QRectF(QPointF(in.within(peak - 20), r.top()), QPointF(in.within(peak), r.bottom())),
               faded(t.before, 0.16));
  }
  std::vector<double> levels;
  for (double db = in.least_db; db <= in.most_db; db += 1) levels.push_back(db);
  for (const bool bass : {true, false}) {
    const auto pct = spec_.distortion_pct(settings(), levels, bass);
    QPolygonF line;
    for (size_t i = 0; i < levels.size(); ++i)
      line << QPointF(in.place_of(levels[i]), height_of_pct(r, pct[i]));
    p.setPen(QPen(bass ? t.removed : t.over, 2, bass ? Qt::DashLine : Qt::SolidLine));
    p.drawPolyline(line);
  }
  p.setPen(t.over);
  p.drawText(r.adjusted(4, 2, -4, 0), Qt::AlignLeft | Qt::AlignTop, tr("distortion"));
  p.setPen(t.removed);
  p.drawText(r.adjusted(4, 15, -4, 0), Qt::AlignLeft | Qt::AlignTop, tr("in the bass"));
}

void LoudspeakerPicture::draw_plan(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = plan_rect();
  const Settings now = settings();
  p.setPen(QPen(t.line, 1));
  p.setBrush(Qt::NoBrush);
  for (const double db : {0.0, -10.0, -20.0}) {
    const double radius = r.width() / 2 * (1 + db / plan_reach_db);
    p.drawEllipse(r.center(), radius, radius);
  }
  const auto round = [&](double hz, const QColor& colour) {
    QPolygonF line;
    for (int a = -180; a <= 180; a += 3)
      line << on_plan(r, a, spec_.directivity_db(now, hz, std::abs(a)));
    p.setPen(QPen(colour, 1.5));
    p.drawPolyline(line);
  };
  round(500, faded(t.after, 0.45));
  round(3000, t.after);
  p.setBrush(t.line);
  p.setPen(QPen(t.quiet, 1));
  p.drawRect(QRectF(r.center() - QPointF(6, 3), QSizeF(12, 6)));
  p.setPen(t.quiet);
  p.drawText(QRectF(r.left() - 30, r.bottom() - 4, r.width() + 36, 16), Qt::AlignCenter,
             tr("500 Hz, 3 kHz"));
}

void LoudspeakerPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  p.setRenderHint(QPainter::Antialiasing);
  draw_response(p);
  draw_distortion(p);
  draw_plan(p);
  const auto all = grips();
  const Theme& t = theme();
  draw_line(p, 2, all[2], distortion_rect());
  for (const size_t i : {0U, 1U, 3U}) {
    p.setPen(QPen(holds(i) ? t.attention : t.text, 1.5));
    p.setBrush(holds(i) ? t.attention : t.text);
    p.drawEllipse(all[i].at, 7, 7);
  }
  p.setBrush(Qt::NoBrush);
}

}  // namespace drevan::desktop
