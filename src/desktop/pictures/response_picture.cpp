// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "audio/decibel.h"
#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"

namespace drevan::desktop {

ResponsePicture::ResponsePicture(const Work& work, StepId id, const ResponseSpec& spec,
                                 QWidget* parent)
    : StepPicture(work, id, tr("Response"),
                  tr("Drag a dot to move its band; the wheel over it sets its width (Q). Behind "
                     "the curve: the sound before (line) and after (filled)."),
                  parent),
      spec_(spec),
      live_in_({work.document.reel().rate, 1, 4096}),
      live_out_({work.document.reel().rate, 1, 4096}) {
  if (!spec_.bands.empty()) page_ = spec_.bands[0].page;
  ResponsePicture::refresh();
}

void ResponsePicture::refresh() {
  if (const auto* l = work_.measurements.levels();
      l && !work_.listening.player().playing() && !l->spectrum_in.empty()) {
    shown_in_ = l->spectrum_in;
    shown_out_ = l->spectrum_out;
  }
  update();
}

void ResponsePicture::live(std::span<const float>, std::span<const float> in,
                           std::span<const float> out) {
  if (in.empty()) return refresh();
  const auto hear = [](SpectrumMeter& meter, std::span<const float> x, std::vector<float>& shown) {
    std::vector<float> copy(x.begin(), x.end());
    float* samples = copy.data();
    meter.hear({&samples, 1, static_cast<int>(copy.size())});
    const auto now = meter.power();
    meter.reset();
    if (now[4] <= 0 && shown.size() == now.size()) return;  // less than a window came
    shown.resize(now.size());
    // Up at once, down slowly: peaks can be read.
    for (size_t i = 0; i < now.size(); ++i) shown[i] = std::max(now[i], shown[i] * 0.8F);
  };
  hear(live_in_, in, shown_in_);
  hear(live_out_, out, shown_out_);
  update();
}

std::vector<Grip> ResponsePicture::grips() const {
  const Settings now = settings();
  std::vector<Grip> all;
  for (const auto& band : spec_.bands) all.push_back(grip_of(band, now));
  return all;
}

Grip ResponsePicture::grip_of(const ResponseBand& band, const Settings& now) const {
  const double hz = band.hz < 0 ? band.fixed_hz : now[static_cast<size_t>(band.hz)];
  double db = -3;
  if (band.gain >= 0)
    db = now[static_cast<size_t>(band.gain)] * (spec_.gains_are_depths ? -1 : 1);
  else if (const auto& off = parameter(band.hz).off_at; off && hz == *off)
    db = 0;
  Grip grip{.at = {axis().x_of(hz), gain_axis().place_of(db)},
            .reach = 14,
            .page = band.page,
            .drag =
                [this, band](QPointF at) {
                  std::vector<DragValue> values;
                  if (band.hz >= 0) values.push_back(frequency_at(band.hz, at.x()));
                  if (band.gain >= 0) values.push_back(gain_at(band.gain, at));
                  return values;
                },
            .wheel = band.q};
  for (const int index : {band.hz, band.gain, band.q})
    if (index >= 0) grip.resets.push_back(index);
  return grip;
}

DragValue ResponsePicture::frequency_at(int index, double x) const {
  const Parameter& p = parameter(index);
  const QRectF r = plot_rect();
  // Pulled out of the picture on its own side, a cut is off.
  if (p.off_at && *p.off_at == p.least && x <= r.left()) return {index, p.least};
  if (p.off_at && *p.off_at == p.most && x >= r.right()) return {index, p.most};
  return {index, axis().hz_at(x)};
}

DragValue ResponsePicture::gain_at(int index, QPointF at) const {
  const double db = gain_axis().db_at(at) * (spec_.gains_are_depths ? -1 : 1);
  // Nothing at all is easy to hit.
  return {index, std::abs(db) < 0.35 ? 0 : db, 0.1};
}

// Tilted by 3 dB an octave, as ears do.
QPolygonF ResponsePicture::line_of(std::span<const float> power) const {
  return spectrum_line(axis(), power, work_.document.reel().rate / SpectrumMeter::size, -10, 3);
}

void ResponsePicture::draw_curve(QPainter& p) const {
  const ChainStep* s = step();
  const QRectF r = plot_rect();
  const double rate = work_.document.reel().rate;
  QPolygonF curve;
  const Settings now = settings();
  for (double x = r.left(); x <= r.right(); x += 1.5)
    curve << QPointF(x, gain_axis().place_of(spec_.response_db(now, axis().hz_at(x), rate)));
  p.setPen(QPen(s->on ? theme().after : theme().quiet, 2));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(curve);
}

// Each too narrow to be seen in the curve: drawn as a stroke from where the curve is to how deep it
// goes.
void ResponsePicture::draw_found_lines(QPainter& p) const {
  if (!spec_.found_lines) return;
  const ChainStep* s = step();
  const Theme& t = theme();
  const auto stage = measured_stage();
  const bool known = stage && *stage < work_.measurements.levels()->findings.size();
  const Settings now = settings();
  const auto lines = known ? spec_.found_lines(now, work_.measurements.levels()->findings[*stage])
                           : std::vector<FoundLine>{};
  const LevelAxis gain = gain_axis();
  if (spec_.looks_at_hz) {
    const auto [from, to] = spec_.looks_at_hz(now);
    p.fillRect(QRectF(QPointF(axis().x_of(from), gain.place_of(0)),
                      QPointF(axis().x_of(to), gain.place_of(0) + 5)),
               faded(t.removed, 0.4));
  }
  p.setPen(QPen(s->on ? t.removed : t.quiet, 2));
  for (const auto& line : lines) {
    const double x = axis().x_of(line.hz);
    p.drawLine(QPointF(x, gain.place_of(0)), QPointF(x, gain.place_of(line.db)));
  }
  if (!known || !s->on) return;
  p.setPen(lines.empty() ? t.attention : t.text);
  p.drawText(plot_rect().adjusted(10, 4, -10, -6), Qt::AlignRight | Qt::AlignBottom,
             lines.empty() ? tr("Nothing was found in this clip: the step does nothing here")
                           : tr("found at %1 Hz, %2")
                                 .arg(lines.front().hz, 0, 'f', 2)
                                 .arg(counted(std::ssize(lines), tr("line"))));
}

void ResponsePicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  axis().draw(p);
  gain_axis().draw(p, spec_.most_db - spec_.least_db > 44 ? 12 : 6);
  p.setClipRect(plot_rect());
  const Theme& t = theme();
  fill_below(p, line_of(shown_out_), plot_rect().bottom(), faded(t.after, 0.22));
  p.setPen(QPen(faded(t.before, 0.8), 1));
  p.drawPolyline(line_of(shown_in_));
  draw_curve(p);
  draw_found_lines(p);
  p.setClipping(false);
  draw_grips(p);
}

void ResponsePicture::draw_grips(QPainter& p) const {
  const Theme& t = theme();
  const Settings now = settings();
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    const QPointF at = all[i].at;
    const int gain = spec_.bands[i].gain;
    const bool lit = (all[i].page == page_ && page_ > 0) || holds(i);
    const bool idle = gain >= 0 && now[static_cast<size_t>(gain)] == 0;
    p.setPen(QPen(lit ? t.attention : t.text, 1.5));
    p.setBrush(lit ? t.attention : idle ? t.panel : t.text);
    p.drawEllipse(at, 8, 8);
    if (all[i].page == 0) continue;
    p.setPen(lit || !idle ? t.window : t.text);
    p.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt::AlignCenter,
               QString::number(all[i].page));
  }
}

}  // namespace drevan::desktop
