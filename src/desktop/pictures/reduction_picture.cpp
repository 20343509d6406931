#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double most_depth = 40;
}

ReductionPicture::ReductionPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Noise and reduction"));
  setToolTip(tr(
      "<p>Filled: the room tone as this step hears it. Line: the clip. From the top: what is "
      "taken per band at this moment while playing. Drag the dashed line to set the depth.</p>"));
}

void ReductionPicture::refresh() { update(); }

void ReductionPicture::live(std::span<const float> readings, std::span<const float>,
                            std::span<const float>) {
  gains_db_.assign(readings.begin(), readings.end());
  update();
}

double ReductionPicture::depth_y(double depth_db) const {
  const QRectF r = plot_rect();
  return r.top() + r.height() * depth_db / most_depth;
}
QPointF ReductionPicture::depth_at() const {
  return {plot_rect().center().x(), depth_y(settings()[0])};
}

// What the step learned; nullptr: not yet, or nothing.
const Findings* ReductionPicture::found() const {
  const auto* levels = work_.measurements.levels();
  const int active = work_.selection.running_index(step_id_);
  if (!levels || active < 0 || active >= static_cast<int>(levels->findings.size())) return nullptr;
  const Findings& f = levels->findings[static_cast<size_t>(active)];
  return f.empty() ? nullptr : &f;
}

// Both on the room tone's scale: a full-scale sine near 0 dB.
void ReductionPicture::draw_spectra(QPainter& p) const {
  const Theme& t = theme();
  const double rate = work_.document.reel().rate;
  if (const auto* levels = work_.measurements.levels(); levels && !levels->spectrum_in.empty()) {
    p.setPen(QPen(t.before, 1.2));
    p.drawPolyline(spectrum_line(axis(), levels->spectrum_in, rate / SpectrumMeter::size, -20, 0));
  }
  if (!found()) return;
  const auto& source = work_.document.reel().source_of(*work_.selection.clip());
  const auto power = step()->type->learned_power(*found(), {rate, source.channels});
  if (power.size() <= 1) return;
  const double size = 2.0 * static_cast<double>(power.size() - 1);
  std::vector<float> scaled(power.begin(), power.end());
  for (float& v : scaled) v *= static_cast<float>(4.0 / (size * size * 0.405));
  const QPolygonF line = spectrum_line(axis(), scaled, rate / size, -20, 0);
  fill_below(p, line, plot_rect().bottom(), faded(t.removed, 0.35));
  p.setPen(QPen(t.removed, 1.2));
  p.drawPolyline(line);
}

void ReductionPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  axis().draw(p);
  for (int db = 0; db <= 36; db += 12) {
    p.setPen(t.quiet);
    p.drawText(QRectF(0, depth_y(db) - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(-db));
  }
  p.setClipRect(r);
  draw_spectra(p);
  for (size_t i = 0; i < gains_db_.size(); ++i) {
    const double x = axis().x_of(band_hz(static_cast<int>(i)));
    p.fillRect(QRectF(x - 2, r.top(), 4,
                      depth_y(std::min(-static_cast<double>(gains_db_[i]), most_depth)) - r.top()),
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
  p.drawText(chip, Qt::AlignCenter, tr("depth %1 dB").arg(settings()[0], 0, 'f', 0));
  if (!found() && s->on) {
    p.setPen(t.attention);
    p.drawText(r.adjusted(10, 0, -10, -8), Qt::AlignHCenter | Qt::AlignBottom | Qt::TextWordWrap,
               work_.selection.clip()->room_tone
                   ? tr("Learning the room tone ...")
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
