// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "engine/listening/level_path.h"
#include "measure/spectrum.h"
#include "pictures/place_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"

namespace drevan::desktop {

WallPicture::WallPicture(const Work& work, StepId id, const WallSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("The wall cut open"),
                  tr("Drag the wall's right face for its thickness, the dot in the gap to open it. "
                     "Right: how much comes through, over the sound before (line) and after "
                     "(filled)."),
                  parent),
      spec_(spec) {}

QRectF WallPicture::cut_rect() const {
  QRectF r = plot_rect();
  r.setWidth(r.width() * 0.34);
  return r;
}

QRectF WallPicture::loss_rect() const {
  QRectF r = plot_rect();
  r.setLeft(r.left() + r.width() * 0.34 + 44);
  return r;
}

// A millimetre can be seen as well as a wall of stone: the scale is logarithmic.
double WallPicture::face_x(double mm) const {
  const Parameter& p = parameter(spec_.thickness);
  const QRectF r = cut_rect();
  const double share = std::log(mm / p.least) / std::log(p.most / p.least);
  return r.left() + r.width() * (0.34 + 0.46 * share);
}
double WallPicture::mm_at(double x) const {
  const Parameter& p = parameter(spec_.thickness);
  const QRectF r = cut_rect();
  const double share = ((x - r.left()) / r.width() - 0.34) / 0.46;
  return p.least * std::pow(p.most / p.least, std::clamp(share, 0.0, 1.0));
}
// The face on the sound's side stands still.
double WallPicture::near_x() const {
  return face_x(parameter(spec_.thickness).least) - cut_rect().width() * 0.06;
}
// The gap stands on the floor.
double WallPicture::gap_y(double m2) const {
  const QRectF r = cut_rect();
  return r.bottom() - 18 - (r.height() - 48) * m2 / parameter(spec_.opening).most;
}
double WallPicture::m2_at(double y) const {
  const QRectF r = cut_rect();
  return (r.bottom() - 18 - y) / (r.height() - 48) * parameter(spec_.opening).most;
}

std::vector<Grip> WallPicture::grips() const {
  const QRectF r = cut_rect();
  const double face = face_x(value(spec_.thickness)), gap = gap_y(value(spec_.opening));
  std::vector<Grip> all;
  all.push_back({.at = {(near_x() + face) / 2, gap},
                 .reach = 12,
                 .drag =
                     [this](QPointF to) {
                       return std::vector<DragValue>{{spec_.opening, m2_at(to.y()), 0.02}};
                     },
                 .resets = {spec_.opening}});
  all.push_back({.form = Grip::Form::upright_line,
                 .at = {face, r.center().y()},
                 .within = r,
                 .drag =
                     [this](QPointF to) {
                       return std::vector<DragValue>{{spec_.thickness, mm_at(to.x()), 1}};
                     },
                 .resets = {spec_.thickness}});
  return all;
}

void WallPicture::draw_cut(QPainter& p) const {
  const Theme& t = theme();
  const Settings now = settings();
  const WallLayers layers = spec_.layers(now);
  const QRectF r = cut_rect();
  const double floor = gap_y(0), top = r.top() + 26, near = near_x();
  const double face = face_x(value(spec_.thickness)), gap = gap_y(value(spec_.opening));
  const bool two_leaves = layers.mm.size() == 3;
  double x = near;
  for (size_t k = 0; k < layers.mm.size(); ++k) {
    const bool air = two_leaves && k == 1;
    // A leaf stays visible however thin it is.
    const double width = (face - near) * (air ? 0.5 : two_leaves ? 0.25 : 1);
    const QRectF layer(QPointF(x, top), QPointF(x + width, gap));
    p.fillRect(layer, air ? faded(t.line, 0.35) : t.line);
    if (!air) p.fillRect(layer, QBrush(faded(t.quiet, 0.6), Qt::BDiagPattern));
    x += width;
  }
  p.setPen(QPen(t.quiet, 1));
  p.drawLine(QPointF(r.left(), floor), QPointF(r.right(), floor));
  // The sound before it, and what is left of it at 500 Hz behind it.
  const double rate = work_.document.reel().rate;
  const double left = std::pow(10, spec_.response_db(now, 500, rate) / 40);
  for (int k = 1; k <= 3; ++k) {
    const double away = 9.0 * k;
    p.setPen(QPen(t.before, 2));
    p.drawArc(QRectF(near - 24 - away, (top + floor) / 2 - away, 2 * away, 2 * away), -60 * 16,
              120 * 16);
    p.setPen(QPen(faded(t.after, std::max(0.12, left)), 2));
    p.drawArc(QRectF(face + 4 - away, (top + floor) / 2 - away, 2 * away, 2 * away), -60 * 16,
              120 * 16);
  }
  p.setPen(t.text);
  p.drawText(QRectF(r.left(), r.top() + 4, r.width(), 18), Qt::AlignHCenter,
             QString::fromUtf8(layers.label.data(), static_cast<qsizetype>(layers.label.size())));
  p.drawText(QRectF(r.left(), floor + 2, r.width(), 16), Qt::AlignHCenter,
             value(spec_.opening) > 0 ? tr("%1 mm, open %2 m\u00b2")
                                            .arg(value(spec_.thickness), 0, 'f', 0)
                                            .arg(value(spec_.opening), 0, 'f', 2)
                                      : tr("%1 mm, shut").arg(value(spec_.thickness), 0, 'f', 0));
  p.setPen(QPen(holds(1) ? t.attention : t.text, 3));
  p.drawLine(QPointF(face, top), QPointF(face, gap));
  p.setPen(QPen(t.window, 1.5));
  p.setBrush(holds(0) ? t.attention : t.text);
  p.drawEllipse(QPointF((near + face) / 2, gap), 7, 7);
  p.setBrush(Qt::NoBrush);
}

void WallPicture::draw_loss(QPainter& p) const {
  const Theme& t = theme();
  const Settings now = settings();
  const double rate = work_.document.reel().rate;
  const FrequencyAxis axis = frequencies();
  const LevelAxis level = losses();
  axis.draw(p);
  level.draw(p, 12);
  p.setClipRect(loss_rect());
  if (const auto* l = work_.measurements.levels(); l && !l->spectrum_in.empty()) {
    const auto line = [&](std::span<const float> power) {
      return spectrum_line(axis, power, rate / SpectrumMeter::size, -10, 3);
    };
    fill_below(p, line(l->spectrum_out), loss_rect().bottom(), faded(t.after, 0.22));
    p.setPen(QPen(faded(t.before, 0.8), 1));
    p.drawPolyline(line(l->spectrum_in));
  }
  QPolygonF curve;
  for (double x = loss_rect().left(); x <= loss_rect().right(); x += 1.5)
    curve << QPointF(x, level.place_of(spec_.response_db(now, axis.hz_at(x), rate)));
  p.setPen(QPen(step()->on ? t.after : t.quiet, 2));
  p.drawPolyline(curve);
  p.setClipping(false);
}

void WallPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  p.setRenderHint(QPainter::Antialiasing);
  draw_cut(p);
  draw_loss(p);
}

}  // namespace drevan::desktop
