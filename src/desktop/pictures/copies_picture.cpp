// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "audio/decibel.h"
#include "pictures/voice_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double off_db = -60;
// The larger a dot, the louder.
double radius(double db) { return db <= off_db ? 5 : 4 + 8 * from_db(db / 2); }
}  // namespace

CopiesPicture::CopiesPicture(const Work& work, StepId id, const CopiesSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Copies of the voice"),
                  tr("Each copy where it stands between left and right and how much higher or "
                     "deeper it is; the larger, the louder, hollow ones are off. Drag one; the "
                     "wheel over it turns its level. The voice itself is in the middle."),
                  parent),
      spec_(spec) {
  page_ = spec_.copies.empty() ? 0 : spec_.copies[0].page;
}

QPointF CopiesPicture::place(double pan, double shift) const {
  const QRectF r = plot_rect().adjusted(14, 12, -14, -12);
  return {r.center().x() + pan / 100 * r.width() / 2,
          r.center().y() - shift / spec_.most_st * r.height() / 2};
}

std::vector<Grip> CopiesPicture::grips() const {
  const Settings now = settings();
  const auto value = [&](int parameter) { return now[static_cast<size_t>(parameter)]; };
  const QRectF r = plot_rect().adjusted(14, 12, -14, -12);
  std::vector<Grip> all;
  for (const auto& copy : spec_.copies)
    all.push_back({.at = place(value(copy.pan), value(copy.shift)),
                   .reach = 12,
                   .page = copy.page,
                   .drag =
                       [this, copy, r](QPointF to) {
                         const double shift =
                             (r.center().y() - to.y()) / (r.height() / 2) * spec_.most_st;
                         return std::vector<DragValue>{
                             {copy.pan, (to.x() - r.center().x()) / (r.width() / 2) * 100, 1},
                             {copy.shift, shift, std::abs(shift) < 0.8 ? 0.05 : 0.5}};
                       },
                   .wheel = copy.level,
                   .resets = {copy.pan, copy.shift}});
  all.push_back({.at = place(0, 0), .reach = 8, .wheel = spec_.dry, .resets = {spec_.dry}});
  return all;
}

void CopiesPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const Settings now = settings();
  const auto value = [&](int parameter) { return now[static_cast<size_t>(parameter)]; };
  for (int st = -12; st <= 12; st += 4) {
    const double y = place(0, st).y();
    p.setPen(QPen(faded(t.line, st == 0 ? 1 : 0.6), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               st > 0 ? QString("+%1").arg(st) : QString::number(st));
  }
  p.setPen(QPen(faded(t.line, 1), 1));
  p.drawLine(QPointF(place(0, 0).x(), r.top()), QPointF(place(0, 0).x(), r.bottom()));
  p.setPen(t.quiet);
  p.drawText(QRectF(r.left(), r.bottom() + 2, 60, 14), Qt::AlignLeft, tr("left"));
  p.drawText(QRectF(r.right() - 60, r.bottom() + 2, 60, 14), Qt::AlignRight, tr("right"));
  // The voice itself.
  p.setPen(Qt::NoPen);
  p.setBrush(value(spec_.dry) > off_db ? t.before : faded(t.before, 0.3));
  const double own = radius(value(spec_.dry));
  p.drawEllipse(place(0, 0), own, own);
  for (const auto& copy : spec_.copies) {
    const QPointF at = place(value(copy.pan), value(copy.shift));
    const bool off = value(copy.level) <= off_db;
    const double size = radius(value(copy.level));
    p.setPen(QPen(off ? t.quiet : copy.page == page() ? t.text : t.window, 1.5));
    p.setBrush(off ? QBrush(Qt::NoBrush) : QBrush(t.after));
    p.drawEllipse(at, size, size);
    p.setPen(off ? t.quiet : t.text);
    const bool left = at.x() > r.right() - 70;
    p.drawText(
        QRectF(at + QPointF(left ? 8 - 70 : size + 3, left ? -size - 16 : -8), QSizeF(70, 14)),
        left ? Qt::AlignRight : Qt::AlignLeft,
        off ? QString::number(copy.page)
            : tr("%1  %2 ms").arg(copy.page).arg(value(copy.delay), 0, 'f', 0));
  }
}

}  // namespace drevan::desktop
