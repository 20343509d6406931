// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/voice_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"

namespace drevan::desktop {

DecayPicture::DecayPicture(const Work& work, StepId id, const DecaySpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("How the space dies away"),
                  tr("A clap, and how its sound falls, low, middle and high. Drag a line's dot "
                     "sideways for its decay; the dots at the beginning for when the space answers "
                     "and how loud its first reflections and its long sound are."),
                  parent),
      spec_(spec) {}

void DecayPicture::grip_taken() { held_length_s_ = axis().length_s; }

// As far as the longest falls; it stands still while something is held.
TimeAxis DecayPicture::axis() const {
  double longest = 0.3;
  for (const int decay : spec_.decays) longest = std::max(longest, value(decay));
  const double reach = value(spec_.begins) / 1000 + longest * 0.8 + 0.05;
  return {plot_rect(), 0, holds_any() ? held_length_s_ : reach};
}

std::vector<Grip> DecayPicture::grips() const {
  const TimeAxis time = axis();
  const LevelAxis level = levels();
  const Settings now = settings();
  const double begin = spec_.late_s(now), late = value(spec_.late);
  std::vector<Grip> all;
  // A line's dot stands where it has fallen by half of the 60 dB.
  const double fallen = late > -30 ? 30 : std::max(5.0, 60 + late - 5);
  for (const int decay : spec_.decays) {
    const double s = begin + value(decay) * fallen / 60;
    all.push_back({.at = {time.x_of(s), level.within(late - fallen)},
                   .drag =
                       [this, decay, begin, time, fallen](QPointF to) {
                         return std::vector<DragValue>{
                             {decay, (time.s_at(to.x()) - begin) * 60 / fallen, 0.01}};
                       },
                   .resets = {decay}});
  }
  const auto amount = [&](int parameter, double s) {
    all.push_back({.at = {time.x_of(s), level.within(value(parameter))},
                   .drag =
                       [parameter, level](QPointF to) {
                         return std::vector<DragValue>{{parameter, level.db_at(to), 0.5}};
                       },
                   .resets = {parameter}});
  };
  amount(spec_.early, spec_.early_s(now));
  amount(spec_.late, begin + 0.02 * time.length_s);
  all.push_back({.at = {time.x_of(value(spec_.begins) / 1000), plot_rect().bottom()},
                 .drag =
                     [this, time](QPointF to) {
                       return std::vector<DragValue>{{spec_.begins, time.s_at(to.x()) * 1000, 1}};
                     },
                 .resets = {spec_.begins}});
  return all;
}

void DecayPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const Settings now = settings();
  const TimeAxis time = axis();
  const LevelAxis level = levels();
  const QRectF r = plot_rect();
  level.draw(p, 12);
  time.draw(p);
  p.setClipRect(r);
  // The clap itself.
  p.setPen(QPen(t.text, 3));
  p.drawLine(QPointF(time.x_of(0) + 2, r.bottom()), QPointF(time.x_of(0) + 2, level.within(0)));
  if (value(spec_.early) > level.least_db) {
    p.setPen(QPen(t.before, 2));
    const double from = spec_.early_s(now), to = spec_.late_s(now) + 0.03;
    for (int k = 0; k < 6; ++k) {
      const double s = from + (to - from) * std::pow(k / 6.0, 1.3);
      const double x = time.x_of(s);
      p.drawLine(QPointF(x, r.bottom()), QPointF(x, level.within(value(spec_.early) - 1.2 * k)));
    }
  }
  const QColor colors[] = {t.before, t.after, t.removed};
  const QString names[] = {tr("low"), tr("middle"), tr("high")};
  const double begin = spec_.late_s(now);
  for (int band = 0; band < 3; ++band) {
    const auto at = [&](double s) {
      return QPointF(time.x_of(s), level.place_of(spec_.at_db(now, band, s)));
    };
    p.setPen(QPen(colors[band], 2));
    const double last = begin + value(spec_.decays[static_cast<size_t>(band)]) * 1.2;
    if (spec_.at_db(now, band, begin + 1e-6) > -100) p.drawLine(at(begin + 1e-6), at(last));
  }
  p.setClipping(false);
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(i) ? t.text : i < 3 ? colors[i] : t.attention);
    p.drawEllipse(all[i].at, 6, 6);
    if (i >= 3) continue;
    p.setPen(t.text);
    p.drawText(QRectF(all[i].at + QPointF(i == 1 ? -44 : 9, i == 0 ? -16 : 4), QSizeF(60, 14)),
               Qt::AlignLeft, names[i]);
  }
}

}  // namespace drevan::desktop
