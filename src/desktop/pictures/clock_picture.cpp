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

namespace {
constexpr int moments = 12;
}  // namespace

ClockPicture::ClockPicture(const Work& work, StepId id, const ClockSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("When things happen, before and after"),
                  tr("Above the sound as it comes, below as it leaves; the lines join the same "
                     "moments. Drag the lower strip's end to make it longer or shorter."),
                  parent),
      spec_(spec) {}

double ClockPicture::seconds() const {
  const auto stage = measured_stage();
  return std::max(0.01, stage ? work_.measurements.levels()->sounds[*stage].shape.seconds()
                              : work_.selection.clip_seconds());
}

std::unique_ptr<Rewriter> ClockPicture::rewriter(const Settings& settings) const {
  return step()->type->rewrite(settings, {{work_.document.reel().rate, 1, 4096}, step()->curves});
}

double ClockPicture::length(const Settings& settings) const {
  const double rate = work_.document.reel().rate;
  return static_cast<double>(rewriter(settings)->length(std::llround(seconds() * rate))) / rate;
}

void ClockPicture::grip_taken() { held_reach_ = axis(length(settings())).length_s / seconds(); }

TimeAxis ClockPicture::axis(double after_s) const {
  const double reach = holds_any() ? held_reach_ : after_s < 1.7 * seconds() ? 2 : 4;
  return {plot_rect(), 0, reach * seconds()};
}

QRectF ClockPicture::strip(const TimeAxis& axis, bool after, double length_s) const {
  const QRectF r = axis.rect;
  return {r.left(), after ? r.bottom() - 46 : r.top() + 22, length_s / axis.length_s * r.width(),
          24};
}

std::vector<Grip> ClockPicture::grips() const {
  if (spec_.length < 0) return {};
  const double after_s = length(settings());
  const TimeAxis time = axis(after_s);
  const QRectF after = strip(time, true, after_s);
  return {{.form = Grip::Form::upright_line,
           .at = {std::min(after.right(), time.rect.right() - 6), after.center().y()},
           .reach = 14,
           .within = after.adjusted(-14, -10, 14, 10),
           .drag =
               [this, time](QPointF at) {
                 const double wanted = std::max(0.0, time.s_at(at.x()));
                 return std::vector<DragValue>{{spec_.length, value_for(wanted), 0.5}};
               },
           .resets = {spec_.length}}};
}

// The value that makes this length; lengths rise or fall with it all the way.
double ClockPicture::value_for(double length_s) const {
  const Parameter& p = parameter(spec_.length);
  Settings trial = standard_settings(*step()->type);
  const auto length_at = [&](double fraction) {
    trial.values[static_cast<size_t>(spec_.length)] = from_fraction(p, fraction);
    return length(trial);
  };
  const bool rising = length_at(1) > length_at(0);
  double low = 0, high = 1;
  for (int i = 0; i < 24; ++i) {
    const double middle = (low + high) / 2;
    ((length_at(middle) < length_s) == rising ? low : high) = middle;
  }
  return from_fraction(p, low);
}

void ClockPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s || !s->type->rewrite) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const auto made = rewriter(settings());
  const double rate = work_.document.reel().rate, before_s = seconds();
  const auto frames = std::llround(before_s * rate);
  const double after_s = static_cast<double>(made->length(frames)) / rate;
  const TimeAxis time = axis(after_s);
  const QRectF before = strip(time, false, before_s), after = strip(time, true, after_s);
  time.draw(p);
  p.setClipRect(plot_rect());
  const auto map = made->map(frames);
  for (int i = 0; i <= moments; ++i) {
    const double at = before_s * i / moments;
    p.setPen(QPen(faded(t.quiet, i % 4 == 0 ? 0.9 : 0.45), 1));
    p.drawLine(QPointF(time.x_of(at), before.bottom()),
               QPointF(time.x_of(map.out_of(at)), after.top()));
  }
  p.setPen(Qt::NoPen);
  p.setBrush(faded(t.before, 0.55));
  p.drawRoundedRect(before, 3, 3);
  p.setBrush(faded(t.after, 0.7));
  p.drawRoundedRect(after, 3, 3);
  p.setPen(t.quiet);
  p.drawText(QPointF(before.left() + 6, before.top() - 7),
             tr("before: %1 s").arg(before_s, 0, 'f', 2));
  p.setPen(t.text);
  p.drawText(QPointF(after.left() + 6, after.bottom() + 15),
             tr("after: %1 s").arg(after_s, 0, 'f', 2));
  for (const Grip& end : grips()) {
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(0) ? t.attention : t.text);
    p.drawEllipse(end.at, 6, 6);
  }
}

}  // namespace drevan::desktop
