// SPDX-License-Identifier: GPL-3.0-or-later
#include "pictures/axes.h"

#include "audio/time_text.h"
#include "audio/decibel.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {

// Between bins where they lie wide apart on the screen, their mean where they lie close.
double mean_power(std::span<const float> power, double from, double to) {
  const auto first = static_cast<size_t>(from);
  if (to - from < 1) {
    const double f = (from + to) / 2 - std::floor((from + to) / 2);
    const auto k = static_cast<size_t>((from + to) / 2);
    return (1 - f) * static_cast<double>(power[k]) +
           f * static_cast<double>(power[std::min(k + 1, power.size() - 1)]);
  }
  double sum = 0;
  const auto last = std::min(power.size() - 1, static_cast<size_t>(to));
  for (size_t k = first; k <= last; ++k) sum += static_cast<double>(power[k]);
  return sum / static_cast<double>(last - first + 1);
}

}  // namespace

void FrequencyAxis::draw(QPainter& p) const {
  const Theme& t = theme();
  for (const double hz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0}) {
    const double x = x_of(hz);
    p.setPen(QPen(faded(t.line, 0.6), 1));
    p.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()));
    p.setPen(t.quiet);
    p.drawText(QRectF(x - 20, rect.bottom() + 2, 40, 14), Qt::AlignCenter,
               hz < 1000 ? QString::number(hz) : QString("%1k").arg(hz / 1000));
  }
}

void LevelAxis::draw(QPainter& p, int step_db) const {
  const Theme& t = theme();
  const int first = static_cast<int>(std::ceil(least_db / step_db)) * step_db;
  for (int db = first; db <= most_db; db += step_db) {
    const double at = place_of(db);
    p.setPen(QPen(faded(t.line, db == 0 ? 1 : 0.6), 1));
    if (direction == Qt::Vertical)
      p.drawLine(QPointF(rect.left(), at), QPointF(rect.right(), at));
    else
      p.drawLine(QPointF(at, rect.top()), QPointF(at, rect.bottom()));
    p.setPen(t.quiet);
    if (direction == Qt::Vertical)
      p.drawText(QRectF(0, at - 7, rect.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
                 QString::number(db));
    else
      p.drawText(QRectF(at - 16, rect.bottom() + 2, 32, 14), Qt::AlignCenter, QString::number(db));
  }
}

void TimeAxis::draw(QPainter& p) const {
  p.setPen(theme().quiet);
  double step = 0.01;
  const double factors[] = {2, 2.5, 2};
  for (int i = 0; step / length_s * rect.width() < 70; ++i) step *= factors[i % 3];
  if (step > 40) step = std::ceil(step / 60) * 60;
  const int places = step < 0.1 ? 2 : step < 1 ? 1 : 0;
  for (double s = std::ceil(begin_s / step) * step; s < begin_s + length_s; s += step) {
    const double x = x_of(s);
    p.drawLine(QPointF(x, rect.bottom() + 2), QPointF(x, rect.bottom() + 6));
    p.drawText(QPointF(x + 4, rect.bottom() + 15),
               length_s < 60 && s < 60
                   ? QString::number(s, 'f', places) + " s"
                   : QString::fromStdString(clock_text(s)).chopped(step < 1 ? 0 : 3));
  }
}

QPolygonF spectrum_line(const FrequencyAxis& axis, std::span<const float> power, double bin_hz,
                        double top_db, double tilt_db) {
  QPolygonF line;
  const QRectF& r = axis.rect;
  for (double x = r.left(); x <= r.right() && !power.empty(); x += 2) {
    const double from = axis.hz_at(x - 1.5) / bin_hz, to = axis.hz_at(x + 1.5) / bin_hz;
    if (to >= static_cast<double>(power.size())) break;
    const double db =
        power_to_db(mean_power(power, from, to)) + tilt_db * std::log2(axis.hz_at(x) / 1000);
    line << QPointF(x, r.top() + r.height() * std::clamp((top_db - db) / 100, 0.0, 1.0));
  }
  return line;
}

void fill_below(QPainter& p, QPolygonF line, double bottom, const QColor& color) {
  if (line.isEmpty()) return;
  line << QPointF(line.last().x(), bottom) << QPointF(line.first().x(), bottom);
  p.setPen(Qt::NoPen);
  p.setBrush(color);
  p.drawPolygon(line);
  p.setBrush(Qt::NoBrush);
}

}  // namespace drevan::desktop
