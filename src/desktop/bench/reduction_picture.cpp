#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "audio/decibel.h"
#include "bench/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double most_depth = 40;
}

ReductionPicture::ReductionPicture(Workspace& workspace, StepPlace place, QWidget* parent)
    : StepPicture(workspace, place, parent) {
  setAccessibleName(tr("Noise and reduction"));
  setToolTip(tr("<p>Filled: the room tone as this step hears it. Line: the clip. From the top: what is "
                "taken per band at this moment while playing. Drag the dashed line to set the depth.</p>"));
}

void ReductionPicture::refresh() { update(); }

void ReductionPicture::live(std::span<const float> readings, std::span<const float>, std::span<const float>) {
  gains_db_.assign(readings.begin(), readings.end());
  update();
}

double ReductionPicture::x_of(double hz) const {
  const QRectF r = plot_rect();
  return r.left() + r.width() * std::log(hz / band_hz(0)) / std::log(band_hz(63) / band_hz(0));
}
double ReductionPicture::depth_y(double depth_db) const {
  const QRectF r = plot_rect();
  return r.top() + r.height() * depth_db / most_depth;
}
QPointF ReductionPicture::depth_at() const {
  return {plot_rect().center().x(), depth_y(step()->settings[0])};
}

void ReductionPicture::draw_spectrum(QPainter& p, std::span<const float> power, const QColor& color, bool fill) const {
  const QRectF r = plot_rect();
  const double bin_hz = workspace_.reel().rate / 2 / static_cast<double>(power.size() - 1);
  // Both spectra are drawn on the room tone's scale: a full-scale sine near 0 dB.
  const double size = 2.0 * static_cast<double>(power.size() - 1);
  const double scale = fill ? 4.0 / (size * size * 0.405) : 1.0;
  QPolygonF line;
  for (double x = r.left(); x <= r.right(); x += 2) {
    const double f = (x - r.left()) / r.width();
    const double hz = band_hz(0) * std::pow(band_hz(63) / band_hz(0), f);
    const double next = hz * std::pow(band_hz(63) / band_hz(0), 2 / r.width());
    const auto first = std::min(power.size() - 1, static_cast<size_t>(hz / bin_hz));
    const auto last = std::min(power.size() - 1, std::max(first, static_cast<size_t>(next / bin_hz)));
    double sum = 0;
    for (size_t k = first; k <= last; ++k) sum += static_cast<double>(power[k]);
    const double db = power_to_db(sum * scale / static_cast<double>(last - first + 1));
    line << QPointF(x, r.top() + r.height() * std::clamp((-20 - db) / 100, 0.0, 1.0));
  }
  p.setPen(QPen(color, 1.2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(line);
  if (!fill) return;
  line << r.bottomRight() << r.bottomLeft();
  p.setPen(Qt::NoPen);
  p.setBrush(faded(color, 0.35));
  p.drawPolygon(line);
}

void ReductionPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  for (const double hz : {100.0, 300.0, 1000.0, 3000.0, 10000.0}) {
    p.setPen(QPen(faded(t.line, 0.6), 1));
    p.drawLine(QPointF(x_of(hz), r.top()), QPointF(x_of(hz), r.bottom()));
    p.setPen(t.quiet);
    p.drawText(QRectF(x_of(hz) - 20, r.bottom() + 2, 40, 14), Qt::AlignCenter,
               hz < 1000 ? QString::number(hz) : QString("%1k").arg(hz / 1000));
  }
  for (int db = 0; db <= 36; db += 12) {
    p.setPen(t.quiet);
    p.drawText(QRectF(0, depth_y(db) - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(-db));
  }
  p.setClipRect(r);
  const auto* levels = workspace_.levels();
  const int active = workspace_.active_index(place_);
  const bool known = levels && active >= 0 && active < static_cast<int>(levels->findings.size()) &&
                     !levels->findings[static_cast<size_t>(active)].empty();
  if (levels && !levels->spectrum_in.empty()) draw_spectrum(p, levels->spectrum_in, t.before, false);
  if (known) {
    const auto& source = workspace_.reel().sources[static_cast<size_t>(workspace_.clip()->source)];
    const auto power = step()->type->learned_power(levels->findings[static_cast<size_t>(active)],
                                                   {workspace_.reel().rate, source.channels});
    if (power.size() > 1) draw_spectrum(p, power, t.removed, true);
  }
  for (size_t i = 0; i < gains_db_.size(); ++i) {
    const double x = x_of(band_hz(static_cast<int>(i)));
    p.fillRect(QRectF(x - 2, r.top(), 4, depth_y(std::min(-static_cast<double>(gains_db_[i]), most_depth)) - r.top()),
               faded(t.after, 0.8));
  }
  p.setClipping(false);
  p.setPen(QPen(t.attention, held_ ? 2 : 1, Qt::DashLine));
  p.drawLine(QPointF(r.left(), depth_at().y()), QPointF(r.right(), depth_at().y()));
  const QRectF chip(r.right() - 84, depth_at().y() + 3, 80, 16);
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(chip, 3, 3);
  p.setPen(t.attention);
  p.drawText(chip, Qt::AlignCenter, tr("depth %1 dB").arg(s->settings[0], 0, 'f', 0));
  if (!known && s->on) {
    p.setPen(t.attention);
    p.drawText(r.adjusted(10, 0, -10, -8), Qt::AlignHCenter | Qt::AlignBottom | Qt::TextWordWrap,
               workspace_.clip()->room_tone ? tr("Learning the room tone ...")
                                            : tr("No room tone is marked: this step does nothing yet. Mark it in "
                                                 "the scope, or let Find room tone look for one."));
  }
}

void ReductionPicture::mousePressEvent(QMouseEvent* e) {
  held_ = true;
  mouseMoveEvent(e);
}

void ReductionPicture::mouseMoveEvent(QMouseEvent* e) {
  setCursor(Qt::SizeVerCursor);
  if (!held_) return;
  const QRectF r = plot_rect();
  const double db = (e->position().y() - r.top()) / r.height() * most_depth;
  Q_EMIT changed(0, std::clamp(std::round(db * 2) / 2, 0.0, most_depth));
}

void ReductionPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
}

}  // namespace drevan::desktop
