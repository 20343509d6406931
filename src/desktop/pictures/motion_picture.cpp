// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/motion/modulator.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {
constexpr double cycles_shown = 2;
constexpr int most_lines = 12;
constexpr double quietest_db = -60;
}  // namespace

MotionPicture::MotionPicture(const Work& work, StepId id, const MotionSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("What moves, over time"),
                  tr("Two rounds of what moves. Drag the dot on the time line sideways for the "
                     "rate, the others up and down for how far it goes; the dashed line is the "
                     "right side."),
                  parent),
      spec_(spec) {}

double MotionPicture::y_of(double value) const {
  const QRectF r = plot_rect();
  const double v = std::clamp(value, spec_.least, spec_.most);
  const double f = spec_.logarithmic
                       ? std::log(v / spec_.least) / std::log(spec_.most / spec_.least)
                       : (v - spec_.least) / (spec_.most - spec_.least);
  return r.bottom() - f * r.height();
}

double MotionPicture::value_at(double y) const {
  const QRectF r = plot_rect();
  const double f = std::clamp((r.bottom() - y) / r.height(), 0.0, 1.0);
  return spec_.logarithmic ? spec_.least * std::pow(spec_.most / spec_.least, f)
                           : spec_.least + f * (spec_.most - spec_.least);
}

bool MotionPicture::by_loudness(const Settings& now) const {
  return spec_.moved_by >= 0 && now[static_cast<size_t>(spec_.moved_by)] == moved_by_voice;
}

// The dot of the rate stands at the end of the first round, on the axis of time: further left is
// faster. Its place goes by the logarithm of the rate.
QPointF MotionPicture::rate_dot() const {
  const QRectF r = plot_rect();
  const Parameter& rate = parameter(spec_.rate);
  const double f = to_fraction(rate, settings()[static_cast<size_t>(spec_.rate)]);
  return {r.left() + (1 - f) * r.width(), r.bottom()};
}

// What it comes down to, whatever the shape.
double MotionPicture::lowest(Settings now) const {
  if (spec_.shape >= 0)
    now.values[static_cast<size_t>(spec_.shape)] = static_cast<double>(LfoShape::sine);
  return spec_.at(now, 0.75, 0);
}

// The values between which it goes, and the one it starts from.
std::vector<Grip> MotionPicture::grips() const {
  const QRectF r = plot_rect();
  const Settings now = settings();
  std::vector<Grip> all;
  if (spec_.rate >= 0 && !by_loudness(now))
    all.push_back({.at = rate_dot(),
                   .drag =
                       [this, r](QPointF to) {
                         const double f = 1 - (to.x() - r.left()) / r.width();
                         return std::vector<DragValue>{
                             {spec_.rate, from_fraction(parameter(spec_.rate), f), 0.01}};
                       },
                   .wheel = spec_.rate,
                   .resets = {spec_.rate}});
  const auto level = [&](int index, double share, double y, std::function<double(double)> value) {
    if (index < 0) return;
    all.push_back({.at = {r.left() + share * r.width(), y},
                   .drag =
                       [index, value = std::move(value)](QPointF to) {
                         return std::vector<DragValue>{{index, value(to.y())}};
                       },
                   .wheel = index,
                   .resets = {index}});
  };
  const double bottom = spec_.bottom >= 0 ? now[static_cast<size_t>(spec_.bottom)] : 0;
  level(spec_.bottom, 0.02, y_of(bottom), [this](double y) { return value_at(y); });
  level(spec_.top, 0.98, y_of(spec_.top >= 0 ? now[static_cast<size_t>(spec_.top)] : 0),
        [this](double y) { return value_at(y); });
  if (spec_.depth >= 0 && spec_.bottom >= 0)  // an amount above the bottom, in the picture's unit
    level(spec_.depth, 0.98, y_of(bottom + now[static_cast<size_t>(spec_.depth)]),
          [this, bottom](double y) { return value_at(y) - bottom; });
  else if (spec_.depth >= 0)  // how far down it goes
    level(spec_.depth, 0.375, y_of(lowest(now)), [this, now](double y) {
      // The more the lower: halved until it is there.
      const Parameter& depth = parameter(spec_.depth);
      double less = 0, more = 1;
      for (int i = 0; i < 30; ++i) {
        const double middle = (less + more) / 2;
        Settings tried = now;
        tried.values[static_cast<size_t>(spec_.depth)] = from_fraction(depth, middle);
        (y_of(lowest(tried)) < y ? less : more) = middle;
      }
      return from_fraction(depth, (less + more) / 2);
    });
  return all;
}

QPolygonF MotionPicture::line(const Settings& now, int index, double behind) const {
  const QRectF r = plot_rect();
  QPolygonF points;
  if (by_loudness(now)) {
    // A quarter round of a triangle goes straight from the middle to either end.
    Settings straight = now;
    straight.values[static_cast<size_t>(spec_.shape)] = static_cast<double>(LfoShape::triangle);
    for (int x = 0; x <= static_cast<int>(r.width()); x += 1) {
      const double db = quietest_db * (1 - x / r.width());
      const double cycles = Modulator::of_loudness(db) / 4;
      points << QPointF(r.left() + x, y_of(spec_.at(straight, cycles, index)));
    }
    return points;
  }
  for (int x = 0; x <= static_cast<int>(r.width()); x += 1) {
    const double cycles = cycles_shown * x / r.width();
    points << QPointF(r.left() + x, y_of(spec_.at(now, cycles - behind, index)));
  }
  return points;
}

void MotionPicture::draw_scale(QPainter& p, const Settings& now) const {
  const QRectF r = plot_rect();
  const Theme& t = theme();
  p.setFont(small_font());
  const auto mark = [&](double value) {
    p.setPen(QPen(faded(t.line, 0.7), 1));
    p.drawLine(QPointF(r.left(), y_of(value)), QPointF(r.right(), y_of(value)));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y_of(value) - 8, r.left() - 3, 16), Qt::AlignRight | Qt::AlignVCenter,
               value >= 1000 ? tr("%1k").arg(value / 1000) : QString::number(value));
  };
  if (spec_.logarithmic) {
    for (const double hz : {100.0, 300.0, 1000.0, 3000.0, 10000.0})
      if (hz >= spec_.least && hz <= spec_.most) mark(hz);
  } else {
    const double span = spec_.most - spec_.least;
    const double step = span > 150 ? 50 : span > 30 ? 10 : 5;
    for (double v = std::ceil(spec_.least / step) * step; v <= spec_.most; v += step) mark(v);
  }
  p.setPen(t.quiet);
  p.drawText(QRectF(r.left() + 6, r.top() + 3, 60, 14), Qt::AlignLeft, text(spec_.unit));
  if (by_loudness(now)) {
    p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 14), Qt::AlignRight,
               tr("the sound's loudness, -60 to 0 dB"));
    return;
  }
  if (spec_.rate < 0) return;
  const double hz = now[static_cast<size_t>(spec_.rate)];
  const double s = cycles_shown / hz;
  p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 14), Qt::AlignRight,
             s < 1 ? tr("%1 ms across").arg(s * 1000, 0, 'f', s < 0.01 ? 2 : 0)
                   : tr("%1 s across").arg(s, 0, 'f', 1));
}

void MotionPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const Settings now = settings();
  draw_scale(p, now);
  const int lines = spec_.lines ? std::clamp(spec_.lines(now), 1, most_lines) : 1;
  if (spec_.phase >= 0 && !by_loudness(now)) {
    p.setPen(QPen(faded(t.before, 0.8), 1.2, Qt::DashLine));
    p.drawPolyline(line(now, 0, now[static_cast<size_t>(spec_.phase)] / 360));
  }
  for (int i = 0; i < lines; ++i) {
    p.setPen(QPen(faded(t.after, i == 0 ? 1 : 0.6), i == 0 ? 2 : 1.3));
    p.drawPolyline(line(now, i, 0));
  }
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(i) ? t.text : t.attention);
    p.drawEllipse(all[i].at, 6, 6);
  }
}

}  // namespace drevan::desktop
