// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/meter.h"

#include <QMouseEvent>
#include <QPainter>

#include "audio/decibel.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double meter_floor_db = -60;
constexpr double fall_db_per_s = 24;
constexpr int lamp_width = 62;
}  // namespace

Meter::Meter(QWidget* parent) : QWidget(parent) {
  setAccessibleName(tr("Output level"));
  setToolTip(
      tr("Level of what is heard, left and right, in dBFS. The mark holds the highest peak, "
         "the lamp lights when a sample passes 0 dBFS. Click to clear both. Where the clip itself "
         "passes it behind its chain, the lamp counts the places, and a click on it goes to "
         "the next (Shift+O)."));
  since_.start();
}

void Meter::clear() {
  hold_db_ = -90;
  over_ = false;
  Q_EMIT cleared();
  update();
}

void Meter::show_places(int places) {
  if (places == places_) return;
  places_ = places;
  update();
}

void Meter::mousePressEvent(QMouseEvent* e) {
  clear();
  if (places_ > 0 && e->position().x() >= width() - lamp_width) Q_EMIT next_place_wanted();
}

void Meter::show_peaks(std::array<float, 2> peaks, bool over) {
  const double fall = fall_db_per_s * static_cast<double>(since_.restart()) / 1000;
  const auto before = shown_db_;
  for (size_t c = 0; c < 2; ++c) {
    const double now = to_db(static_cast<double>(peaks[c]));
    shown_db_[c] = std::max({now, shown_db_[c] - fall, -90.0});
    hold_db_ = std::max(hold_db_, now);
  }
  if (over == over_ && shown_db_ == before) return;
  over_ = over;
  update();
}

void Meter::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setPen(over_ ? t.over : t.text);
  p.drawText(QRectF(0, 0, 46, height()), Qt::AlignVCenter | Qt::AlignRight,
             hold_db_ <= meter_floor_db ? QString("-") : QString::number(hold_db_, 'f', 1));
  const double left = 56, right = width() - lamp_width;
  const auto x_at = [&](double db) {
    return left +
           (right - left) * std::clamp((db - meter_floor_db) / (6 - meter_floor_db), 0.0, 1.0);
  };
  for (size_t c = 0; c < 2; ++c) {
    const double y = height() / 2.0 - 8 + static_cast<double>(c) * 9;
    p.setPen(Qt::NoPen);
    p.setBrush(t.window);
    p.drawRoundedRect(QRectF(left, y, right - left, 7), 3, 3);
    const double x = x_at(shown_db_[c]);
    if (x <= left) continue;
    p.setBrush(t.after);
    p.drawRoundedRect(QRectF(left, y, std::min(x, x_at(-3)) - left, 7), 3, 3);
    if (x > x_at(-3)) {
      p.setBrush(t.attention);
      p.drawRect(QRectF(x_at(-3), y, std::min(x, x_at(0)) - x_at(-3), 7));
    }
    if (x > x_at(0)) {
      p.setBrush(t.over);
      p.drawRect(QRectF(x_at(0), y, x - x_at(0), 7));
    }
  }
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(x_at(0), 4), QPointF(x_at(0), height() - 4));
  if (hold_db_ > meter_floor_db) {
    p.setPen(QPen(hold_db_ > 0 ? t.over : t.text, 2));
    p.drawLine(QPointF(x_at(hold_db_), 5), QPointF(x_at(hold_db_), height() - 5));
  }
  // The lamp also says it in a word, not by colour alone.
  p.setPen(Qt::NoPen);
  p.setBrush(lamp() ? t.over : t.line);
  p.drawEllipse(QPointF(width() - 48.0, height() / 2.0), 5, 5);
  p.setPen(lamp() ? t.over : t.quiet);
  p.setFont(small_font());
  p.drawText(QRectF(width() - 38.0, 0, 38, height()), Qt::AlignVCenter,
             places_ > 999 ? tr("999+")
             : places_ > 0 ? tr("%1 over").arg(places_)
             : over_       ? tr("over")
                           : tr("clear"));
}

}  // namespace drevan::desktop
