// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

ReductionPicture::ReductionPicture(const Work& work, StepId id, const ReductionSpec& spec,
                                   QWidget* parent)
    : StepPicture(work, id, tr("Noise and reduction"),
                  tr("Filled: the room tone as this step hears it. Line: the clip. From the top: "
                     "what is taken per band at this moment while playing. Drag the dashed line to "
                     "set the depth."),
                  parent),
      spec_(spec) {}

void ReductionPicture::live(std::span<const float> readings, std::span<const float>,
                            std::span<const float>) {
  gains_db_.assign(readings.begin(), readings.end());
  update();
}

LevelAxis ReductionPicture::depth_axis() const {
  return {plot_rect(), -parameter(spec_.depth).most, 0};
}

std::vector<Grip> ReductionPicture::grips() const {
  const double depth = settings()[static_cast<size_t>(spec_.depth)];
  return {{.form = Grip::Form::level_line,
           .at = {plot_rect().center().x(), depth_axis().place_of(-depth)},
           .elsewhere = true,
           .drag =
               [this](QPointF at) {
                 return std::vector<DragValue>{{spec_.depth, -depth_axis().db_at(at), 0.5}};
               },
           .resets = {spec_.depth}}};
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
  const auto power = spec_.learned_power(*found(), {rate, source.channels});
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
  depth_axis().draw(p, 12);
  p.setClipRect(r);
  draw_spectra(p);
  for (size_t i = 0; i < gains_db_.size(); ++i) {
    const double x = axis().x_of(band_hz(static_cast<int>(i)));
    const double bottom = depth_axis().within(static_cast<double>(gains_db_[i]));
    p.fillRect(QRectF(x - 2, r.top(), 4, bottom - r.top()), faded(t.after, 0.8));
  }
  p.setClipping(false);
  const Grip line = grips().front();
  draw_line(p, 0, line, r);
  const QRectF chip(r.right() - 84, line.at.y() + 3, 80, 16);
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(chip, 3, 3);
  p.setPen(t.attention);
  const double depth = settings()[static_cast<size_t>(spec_.depth)];
  p.drawText(chip, Qt::AlignCenter, tr("depth %1 dB").arg(depth, 0, 'f', 0));
  if (!found() && s->on) {
    p.setPen(t.attention);
    p.drawText(r.adjusted(10, 0, -10, -8), Qt::AlignHCenter | Qt::AlignBottom | Qt::TextWordWrap,
               work_.selection.clip()->room_tone
                   ? tr("Learning the room tone ...")
                   : tr("No room tone is marked: this step does nothing yet. Mark it in "
                        "the scope, or let Find room tone look for one."));
  }
}

}  // namespace drevan::desktop
