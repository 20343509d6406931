#include "pictures/frequency_axis.h"

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

void draw_db_grid(QPainter& p, const QRectF& plot, int least, int most, int step_db,
                  const std::function<double(double)>& y_of) {
  const Theme& t = theme();
  for (int db = least; db <= most; db += step_db) {
    const double y = y_of(db);
    if (y < plot.top() - 0.5 || y > plot.bottom() + 0.5) continue;
    p.setPen(QPen(faded(t.line, db == 0 ? 1 : 0.6), 1));
    p.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y - 7, plot.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               QString::number(db));
  }
}

}  // namespace drevan::desktop
