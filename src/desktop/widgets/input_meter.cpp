// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/input_meter.h"

#include <QPainter>

#include "audio/decibel.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double input_floor_db = -60, input_fall_db_per_s = 24;
constexpr int held_ms = 3000;
// Common practice, no source: the loudest words at -5 to -3 dB, below -18 too low, never 0.
constexpr double good_from_db = -5, good_to_db = -3, too_low_db = -18;
constexpr int word_width = 74;
}  // namespace

InputMeter::InputMeter(const QString& name, QWidget* parent) : QWidget(parent), name_(name) {
  setFixedHeight(18);
  setMinimumWidth(40 + word_width);
  setAccessibleName(name);
  setToolTip(
      tr("Level of the input in dBFS. Turn it up until the loudest words reach the marked zone, -5 "
         "to -3 dB; below -18 they are too low, at 0 they are clipped. Click to count anew."));
  since_.start();
  held_since_.start();
}

void InputMeter::show_level(float peak, long clipped, bool silent) {
  const double now = to_db(static_cast<double>(peak));
  const double fall = input_fall_db_per_s * static_cast<double>(since_.restart()) / 1000;
  shown_db_ = std::max({now, shown_db_ - fall, -90.0});
  if (now >= held_db_ || held_since_.elapsed() > held_ms) {
    held_db_ = std::max(now, -90.0);
    held_since_.restart();
  }
  clipped_ = clipped;
  silent_ = silent;
  update();
}

QString InputMeter::word() const {
  if (clipped_ > 0) return clipped_ > 999 ? tr("999+ clipped") : tr("%1 clipped").arg(clipped_);
  if (silent_) return tr("nothing");
  if (held_db_ < too_low_db) return tr("too low");
  if (held_db_ > good_to_db) return tr("hot");
  return held_db_ < good_from_db ? tr("fair") : tr("good");
}

QColor InputMeter::color() const {
  const Theme& t = theme();
  if (clipped_ > 0) return t.over;
  if (silent_) return t.quiet;
  return held_db_ < too_low_db ? t.before : held_db_ > good_to_db ? t.attention : t.after;
}

void InputMeter::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  const double right = width() - word_width;
  const auto x_at = [&](double db) {
    return right * std::clamp((db - input_floor_db) / -input_floor_db, 0.0, 1.0);
  };
  const double y = height() / 2.0 - 4;
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(QRectF(0, y, right, 8), 4, 4);
  p.setBrush(color());
  if (shown_db_ > input_floor_db)
    p.drawRoundedRect(QRectF(0, y, std::max(4.0, x_at(shown_db_)), 8), 4, 4);
  // The zone, also where the level stands before it.
  p.setBrush(Qt::NoBrush);
  p.setPen(QPen(t.text, 1));
  p.drawRect(QRectF(x_at(good_from_db), y - 3, x_at(good_to_db) - x_at(good_from_db), 14));
  p.setPen(QPen(faded(t.quiet, 0.6), 1));
  p.drawLine(QPointF(x_at(too_low_db), y - 2), QPointF(x_at(too_low_db), y + 10));
  if (held_db_ > input_floor_db) {
    p.setPen(QPen(color(), 2));
    p.drawLine(QPointF(x_at(held_db_), y - 3), QPointF(x_at(held_db_), y + 11));
  }
  p.setPen(clipped_ > 0 ? t.over : silent_ ? t.quiet : t.text);
  p.setFont(small_font());
  p.drawText(QRectF(right + 10, 0, word_width - 10, height()), Qt::AlignVCenter, word());
}

}  // namespace drevan::desktop
