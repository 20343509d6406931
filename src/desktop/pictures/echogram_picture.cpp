// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <algorithm>

#include "audio/decibel.h"
#include "pictures/place_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {

// Seconds until a course that is so much louder stays below what is drawn.
double end_s(std::span<const float> db, double step_s, double louder_db = 0) {
  size_t n = db.size();
  while (n > 0 && static_cast<double>(db[n - 1]) + louder_db < -60) --n;
  return static_cast<double>(n) * step_s;
}

// `offset`: at its beginning, in seconds and dB.
QPolygonF silhouette(const TimeAxis& time, const LevelAxis& level, std::span<const float> db,
                     QPointF offset, double step_s) {
  QPolygonF line;
  for (size_t i = 0; i < db.size(); ++i) {
    const double x = time.x_of(offset.x() + static_cast<double>(i) * step_s);
    const double y = level.within(offset.y() + static_cast<double>(db[i]));
    // The loudest of what falls on one pixel.
    if (!line.empty() && x - line.back().x() < 1)
      line.back().setY(std::min(line.back().y(), y));
    else
      line << QPointF(x, y);
  }
  return line;
}

}  // namespace

EchogramPicture::EchogramPicture(const Work& work, StepId id, const EchogramSpec& spec,
                                 QWidget* parent)
    : StepPicture(
          work, id, tr("The response"),
          tr("The response as it was recorded, and as it is heard. Drag the dot at the top "
             "for what it begins with, the one at the bottom left for when it answers, the "
             "one above it for how much is heard, the one on the slope for its decay, the one "
             "at its end for its length. The stroke is the sound itself."),
          parent),
      spec_(spec) {}

double EchogramPicture::mix_db() const { return to_db(std::max(1e-3, value(spec_.mix) / 100)); }

const ResponseCourse& EchogramPicture::course() const {
  const Settings now = settings();
  if (!(now == known_)) {
    course_ = spec_.course(now);
    known_ = now;
  }
  return course_;
}

// Stands still while something is held.
TimeAxis EchogramPicture::axis() const {
  if (holds_any()) return held_axis_;
  const ResponseCourse& c = course();
  const double longest =
      std::max({0.1, end_s(c.recorded_db, c.step_s),
                value(spec_.begins) / 1000 + end_s(c.heard_db, c.step_s, mix_db())});
  const double before = std::max(0.06 * longest, -1.1 * value(spec_.start) / 1000);
  return {plot_rect(), -before, longest * 1.06 + before};
}

std::vector<Grip> EchogramPicture::grips() const {
  const TimeAxis time = axis();
  const LevelAxis level = levels();
  const ResponseCourse& c = course();
  const double begin = value(spec_.begins) / 1000, db = mix_db();
  std::vector<Grip> all;
  const auto moment = [&](int parameter, double y) {
    all.push_back({.at = {time.x_of(value(parameter) / 1000), y},
                   .drag =
                       [parameter, time](QPointF to) {
                         return std::vector<DragValue>{{parameter, time.s_at(to.x()) * 1000, 1}};
                       },
                   .resets = {parameter}});
  };
  // In proportion to how far it is from where the response begins.
  const auto share = [&](int parameter, double s, double at_db) {
    const double now = value(parameter);
    all.push_back({.at = {time.x_of(s), level.within(at_db)},
                   .drag =
                       [parameter, time, begin, s, now](QPointF to) {
                         const double way = std::max(0.001, time.s_at(to.x()) - begin);
                         return std::vector<DragValue>{{parameter, now * way / (s - begin), 1}};
                       },
                   .resets = {parameter}});
  };
  moment(spec_.start, plot_rect().top() + 6);
  moment(spec_.begins, plot_rect().bottom());
  if (c.t60_s > 0.02) share(spec_.decay, begin + c.t60_s / 2, db - 30);
  if (const double end = end_s(c.heard_db, c.step_s, db); end > 0.02)
    share(spec_.length, begin + end, -58);
  all.push_back({.at = {time.x_of(begin), level.within(db)},
                 .drag =
                     [this, level](QPointF to) {
                       return std::vector<DragValue>{
                           {spec_.mix, 100 * from_db(std::min(0.0, level.db_at(to))), 1}};
                     },
                 .resets = {spec_.mix}});
  return all;
}

void EchogramPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const TimeAxis time = axis();
  const LevelAxis level = levels();
  const QRectF r = plot_rect();
  const ResponseCourse& c = course();
  level.draw(p, 12);
  time.draw(p);
  const double begin = value(spec_.begins) / 1000, db = mix_db();
  p.setClipRect(r);
  if (c.recorded_db.empty()) {
    p.setPen(t.text);
    p.drawText(r, Qt::AlignCenter, tr("The response cannot be read: choose another file"));
  } else {
    const QPolygonF before = silhouette(time, level, c.recorded_db, {}, c.step_s);
    fill_below(p, before, r.bottom(), faded(t.before, 0.25));
    p.setPen(QPen(t.before, 1));
    p.drawPolyline(before);
    const QPolygonF heard = silhouette(time, level, c.heard_db, {begin, db}, c.step_s);
    fill_below(p, heard, r.bottom(), faded(t.after, 0.2));
    p.setPen(QPen(t.after, 2));
    p.drawPolyline(heard);
    if (c.t60_s > 0.02) {
      p.setPen(QPen(t.attention, 1, Qt::DashLine));
      p.drawLine(QPointF(time.x_of(begin), level.place_of(db)),
                 QPointF(time.x_of(begin + c.t60_s), level.place_of(db - 60)));
      p.setPen(t.text);
      p.drawText(QRectF(r.right() - 150, r.top() + 4, 146, 16), Qt::AlignRight,
                 tr("falls by 60 dB in %1 s").arg(c.t60_s, 0, 'f', 2));
    }
  }
  if (const double own = 1 - value(spec_.mix) / 100; own > 0) {
    p.setPen(QPen(t.text, 3));
    p.drawLine(QPointF(time.x_of(0), r.bottom()), QPointF(time.x_of(0), level.within(to_db(own))));
  }
  p.setClipping(false);
  const auto all = grips();
  for (size_t i = 0; i < all.size(); ++i) {
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(i) ? t.text : i == 0 ? t.before : i == 1 ? t.after : t.attention);
    p.drawEllipse(all[i].at, 6, 6);
  }
}

}  // namespace drevan::desktop
