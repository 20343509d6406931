// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double quietest_tap_db = -60;
constexpr int most_rounds = 60;
}  // namespace

TapsPicture::TapsPicture(const Work& work, StepId id, const TapsSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Echoes over time"),
                  tr("Each echo where it comes and how loud it is, and how it fades. Drag one, or "
                     "one that is off up from the line below; the wheel over it turns how long it "
                     "goes on."),
                  parent),
      spec_(spec) {}

TimeAxis TapsPicture::axis() const { return {plot_rect(), 0, spec_.most_s * 1.05}; }
LevelAxis TapsPicture::levels() const { return {plot_rect(), quietest_tap_db, 3}; }

std::vector<Grip> TapsPicture::grips() const {
  const Settings now = settings();
  std::vector<Grip> all;
  for (const auto& tap : spec_.taps) {
    const double s = now[static_cast<size_t>(tap.time)] / 1000;
    all.push_back({.at = {axis().x_of(s), levels().within(now[static_cast<size_t>(tap.level)])},
                   .page = tap.page,
                   .drag =
                       [this, tap](QPointF to) {
                         return std::vector<DragValue>{{tap.time, axis().s_at(to.x()) * 1000, 1},
                                                       {tap.level, levels().db_at(to), 0.5}};
                       },
                   .wheel = tap.feedback,
                   .resets = {tap.time, tap.level}});
  }
  return all;
}

void TapsPicture::draw_tap(QPainter& p, const TapSpec& tap, const Settings& now,
                           bool chosen) const {
  const double level = now[static_cast<size_t>(tap.level)];
  if (level <= quietest_tap_db) return;
  const Theme& t = theme();
  const double time = now[static_cast<size_t>(tap.time)] / 1000;
  const double loop = now[static_cast<size_t>(tap.feedback)] / 100;
  for (int round = 0; round < most_rounds; ++round) {
    const double db = level + (round == 0 ? 0 : round * 20 * std::log10(std::max(loop, 1e-6)));
    const double s = time * (round + 1);
    if (db < quietest_tap_db || s > spec_.most_s * 1.05) return;
    p.setPen(QPen(faded(round == 0 ? t.after : t.before, chosen ? 1 : 0.6), round == 0 ? 3 : 2));
    const double x = axis().x_of(s);
    p.drawLine(QPointF(x, levels().rect.bottom()), QPointF(x, levels().within(db)));
  }
}

void TapsPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const Settings now = settings();
  levels().draw(p, 12);
  axis().draw(p);
  // The sound itself.
  p.setPen(QPen(t.text, 3));
  p.drawLine(QPointF(axis().x_of(0) + 2, levels().rect.bottom()),
             QPointF(axis().x_of(0) + 2, levels().within(0)));
  for (const auto& tap : spec_.taps) draw_tap(p, tap, now, tap.page == page());
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    const bool off = now[static_cast<size_t>(spec_.taps[i].level)] <= quietest_tap_db;
    p.setPen(QPen(off ? t.quiet : t.window, 1.5));
    p.setBrush(off ? QBrush(Qt::NoBrush) : QBrush(holds(i) ? t.text : t.attention));
    p.drawEllipse(all[i].at, 6, 6);
    p.setPen(off ? t.quiet : t.text);
    p.drawText(QRectF(all[i].at - QPointF(20, 20), QSizeF(40, 12)), Qt::AlignCenter,
               QString::number(i + 1));
  }
}

}  // namespace drevan::desktop
