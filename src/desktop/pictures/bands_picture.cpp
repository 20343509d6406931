// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {
constexpr double most_taken = 24;
}  // namespace

BandsPicture::BandsPicture(const Work& work, StepId id, const BandsSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Bands"),
                  tr("Drag an upright line to move where two bands meet, a dashed line to set the "
                     "threshold of a band. Filled: the level in each band at this moment. From the "
                     "top: what is taken."),
                  parent),
      spec_(spec) {
  page_ = 1;
}

LevelAxis BandsPicture::level_axis() const { return {plot_rect(), -66, 0}; }

QRectF BandsPicture::band_rect(const Settings& now, int band) const {
  const QRectF r = plot_rect();
  const auto corner = [&](int i) {
    return axis().x_of(now[static_cast<size_t>(spec_.corners[static_cast<size_t>(i)])]);
  };
  const double left = band == 0 ? r.left() : corner(band - 1);
  const double right = band == bands(now) - 1 ? r.right() : corner(band);
  return {left, r.top(), std::max(1.0, right - left), r.height()};
}

std::vector<Grip> BandsPicture::grips() const {
  const Settings now = settings();
  const int count = bands(now);
  std::vector<Grip> all;
  for (int b = 0; b + 1 < count; ++b) {
    const int index = spec_.corners[static_cast<size_t>(b)];
    all.push_back({.form = Grip::Form::upright_line,
                   .at = {band_rect(now, b).right(), plot_rect().center().y()},
                   .reach = 7,
                   .drag =
                       [this, index](QPointF at) {
                         return std::vector<DragValue>{{index, axis().hz_at(at.x())}};
                       },
                   .resets = {index}});
  }
  for (int b = 0; b < count; ++b) {
    const int index = spec_.bands[static_cast<size_t>(b)].threshold;
    const QRectF band = band_rect(now, b);
    all.push_back({.form = Grip::Form::level_line,
                   .at = {band.center().x(), level_axis().within(now[static_cast<size_t>(index)])},
                   .reach = 12,
                   .within = band.adjusted(7, 0, -7, 0),
                   .page = b + 1,
                   .drag =
                       [this, index](QPointF at) {
                         return std::vector<DragValue>{{index, level_axis().db_at(at), 0.5}};
                       },
                   .resets = {index}});
  }
  for (int b = 0; b < count; ++b)
    all.push_back({.at = band_rect(now, b).center(),
                   .reach = -1,
                   .within = band_rect(now, b),
                   .elsewhere = true,
                   .page = b + 1});
  return all;
}

// A band that is gone shows no sliders.
void BandsPicture::refresh() {
  if (step()) set_page(std::min(page(), bands(settings())));
  update();
}

void BandsPicture::live(std::span<const float> readings, std::span<const float>,
                        std::span<const float>) {
  readings_.assign(readings.begin(), readings.end());
  update();
}

void BandsPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  axis().draw(p);
  level_axis().draw(p, 12);
  p.setClipRect(r);
  if (const auto* levels = work_.measurements.levels(); levels && !levels->spectrum_in.empty()) {
    p.setPen(QPen(faded(t.before, 0.8), 1));
    p.drawPolyline(spectrum_line(axis(), levels->spectrum_in,
                                 work_.document.reel().rate / SpectrumMeter::size, -10, 3));
  }
  const Settings now = settings();
  const auto all = grips();
  const auto corners = static_cast<size_t>(bands(now) - 1);
  for (size_t b = 0; b <= corners; ++b)
    draw_band(p, now, static_cast<int>(b), corners + b, all[corners + b]);
  p.setClipping(false);
  for (size_t b = 0; b < corners; ++b) {
    const double x = all[b].at.x();
    p.setPen(QPen(holds(b) ? t.attention : t.text, holds(b) ? 2 : 1.3));
    p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    p.setBrush(t.text);
    p.drawRoundedRect(QRectF(x - 3, r.center().y() - 9, 6, 18), 2, 2);
  }
}

void BandsPicture::draw_band(QPainter& p, const Settings& now, int band, size_t grip,
                             const Grip& line) const {
  const Theme& t = theme();
  const QRectF r = band_rect(now, band).adjusted(2, 0, -2, 0);
  const bool shown = page_ == band + 1;
  if (shown) p.fillRect(r, faded(t.attention, 0.07));
  const auto at = static_cast<size_t>(2 * band);
  if (at + 1 < readings_.size()) {
    const double y = level_axis().within(static_cast<double>(readings_[at]));
    p.fillRect(QRectF(r.left(), y, r.width(), r.bottom() - y), faded(t.after, 0.3));
    const double taken =
        std::clamp(static_cast<double>(readings_[at + 1]) / most_taken, 0.0, 1.0) * r.height();
    if (taken > 0.5)
      p.fillRect(QRectF(r.left(), r.top(), r.width(), taken), faded(t.attention, 0.75));
  }
  const double ratio = now[static_cast<size_t>(spec_.bands[static_cast<size_t>(band)].ratio)];
  const bool acts = ratio > 1;
  const double width = holds(grip) ? 2.2 : shown ? 1.6 : 1.1;
  p.setPen(QPen(acts ? t.attention : t.quiet, width, Qt::DashLine));
  p.drawLine(QPointF(r.left(), line.at.y()), QPointF(r.right(), line.at.y()));
  p.setPen(shown ? t.text : t.quiet);
  if (r.width() > 44)
    p.drawText(r.adjusted(4, 0, -4, -3), Qt::AlignLeft | Qt::AlignBottom,
               acts ? tr("%1   %2 : 1").arg(band + 1).arg(ratio, 0, 'f', 1)
                    : tr("%1   untouched").arg(band + 1));
}

}  // namespace drevan::desktop
