// SPDX-License-Identifier: GPL-3.0-or-later
#include "pictures/plan_picture.h"

#include <QPainter>
#include <cmath>
#include <numbers>

#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {

constexpr double pi = std::numbers::pi;
constexpr double longest_s = 12, shortest_s = 0.05;  // of the decays' picture

Place turned_by(const Place& p, double deg) {
  const double a = deg * pi / 180;
  return {std::cos(a) * p.x + std::sin(a) * p.y, std::cos(a) * p.y - std::sin(a) * p.x, p.z};
}
double degrees(const Place& p) { return std::atan2(p.x, p.y) * 180 / pi; }
double height_of(const QRectF& r, double s) {
  const double share = std::log(std::clamp(s, shortest_s, longest_s) / shortest_s) /
                       std::log(longest_s / shortest_s);
  return r.bottom() - share * r.height();
}
double seconds_at(const QRectF& r, double y) {
  return shortest_s * std::pow(longest_s / shortest_s, (r.bottom() - y) / r.height());
}

}  // namespace

PlanPicture::PlanPicture(const Work& work, StepId id, const PlanSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("The plan"),
                  tr("From above: drag the source, the listener, the listener's nose, the walls. "
                     "Ctrl and drag draws a path. Middle: heights. Right: how long it rings; drag "
                     "the line. Touch a thing to see its settings."),
                  parent),
      spec_(spec) {
  page_ = parameter(spec_.distance).page;
}

void PlanPicture::refresh() {
  now_.reset();
  update();
}
void PlanPicture::live(std::span<const float> readings, std::span<const float>,
                       std::span<const float>) {
  now_.reset();
  if (readings.size() >= 3)
    now_ = Place{static_cast<double>(readings[0]), static_cast<double>(readings[1]),
                 static_cast<double>(readings[2])};
  update();
}

QRectF PlanPicture::plan_rect() const {
  QRectF r = plot_rect().adjusted(-22, 0, 0, 12);
  r.setWidth(r.width() * 0.56);
  return r;
}
QRectF PlanPicture::strip_rect() const {
  QRectF r = plot_rect().adjusted(-22, 0, 0, 12);
  r.setLeft(r.left() + r.width() * 0.57);
  r.setWidth(r.width() * 0.2);
  return r;
}
QRectF PlanPicture::decay_rect() const {
  QRectF r = plot_rect();
  r.setLeft(strip_rect().right() + 34);
  return r;
}

QPointF PlanPicture::Scaled::at(const Place& p) const {
  return {on_screen.left() + (p.x - from.x) * pixels_per_m,
          on_screen.bottom() - (p.y - from.y) * pixels_per_m};
}
Place PlanPicture::Scaled::place(QPointF at) const {
  return {from.x + (at.x() - on_screen.left()) / pixels_per_m,
          from.y + (on_screen.bottom() - at.y()) / pixels_per_m, 0};
}

// A room is seen whole; outdoors, and in a very large one, what is round source and listener.
PlanPicture::Scaled PlanPicture::scaled(const PlanView& v) const {
  const QRectF area = plan_rect().adjusted(14, 22, -14, -18);
  const double way = (v.source - v.listener).length();
  double width = v.size.x, length = v.size.y;
  Place middle = v.size * 0.5;
  const double wanted = 5 * std::max(way, 2.0);
  if (v.outdoors || std::max(width, length) > 3 * wanted) {
    width = std::min(width, wanted);
    length = std::min(length, wanted);
    middle = (v.source + v.listener) * 0.5;
    middle.x = std::clamp(middle.x, width / 2, v.size.x - width / 2);
    middle.y = std::clamp(middle.y, length / 2, v.size.y - length / 2);
  }
  Scaled s;
  s.pixels_per_m = std::min(area.width() / width, area.height() / length);
  s.on_screen = QRectF(0, 0, width * s.pixels_per_m, length * s.pixels_per_m);
  s.on_screen.moveCenter(area.center());
  s.from = {middle.x - width / 2, middle.y - length / 2, 0};
  const double high = v.outdoors ? std::max(4.0, 2 * v.source.z) : v.size.z;
  s.strip_pixels_per_m = (strip_rect().height() - 40) / high;
  return s;
}
double PlanPicture::strip_y(const Scaled& s, double z) const {
  return strip_rect().bottom() - 22 - z * s.strip_pixels_per_m;
}

// Seen from the listener it stays as high above the ears as it was.
std::vector<DragValue> PlanPicture::put_source(const Scaled& s, const PlanView& v,
                                               QPointF to) const {
  if (in_room()) {
    const Place at = s.place(to);
    return {{spec_.x, at.x, 0.05}, {spec_.y, at.y, 0.05}};
  }
  Place way = s.place(to) - v.listener;
  way.z = 0;
  const double flat = std::max(way.length(), 0.05), up = value(spec_.elevation) * pi / 180;
  return {{spec_.azimuth, degrees(way), 0.5},
          {spec_.distance, std::abs(up) < 1.4 ? flat / std::cos(up) : flat, 0.01}};
}

std::vector<Grip> PlanPicture::grips() const {
  const PlanView v = spec_.view(settings(), 0);
  const Scaled s = scaled(v);
  const auto page = [this](int parameter) { return this->parameter(parameter).page; };
  std::vector<Grip> all;
  const auto dot = [&](QPointF at, int of, auto drag, std::vector<int> resets) {
    all.push_back({.at = at, .reach = 11, .page = page(of), .drag = drag, .resets = resets});
  };
  dot(
      s.at(v.source), spec_.distance, [this, s, v](QPointF to) { return put_source(s, v, to); },
      in_room() ? std::vector{spec_.x, spec_.y} : std::vector{spec_.azimuth, spec_.distance});
  const QRectF strip = strip_rect();
  dot(
      {strip.center().x() + 18, strip_y(s, v.source.z)}, spec_.elevation,
      [this, s, v](QPointF to) {
        const double z = (strip_rect().bottom() - 22 - to.y()) / s.strip_pixels_per_m;
        if (in_room()) return std::vector<DragValue>{{spec_.z, z, 0.05}};
        const Place way = v.source - v.listener;
        const double flat = std::max(0.05, std::hypot(way.x, way.y)), up = z - v.listener.z;
        return std::vector<DragValue>{{spec_.elevation, std::atan2(up, flat) * 180 / pi, 0.5},
                                      {spec_.distance, std::hypot(flat, up), 0.01}};
      },
      in_room() ? std::vector{spec_.z} : std::vector{spec_.elevation, spec_.distance});
  dot(s.at(v.listener), spec_.stand_x,
      [this, s, v](QPointF to) {
        const Place p = s.place(to);
        return std::vector<DragValue>{{spec_.stand_x, 100 * p.x / v.size.x, 0.5},
                                      {spec_.stand_y, 100 * p.y / v.size.y, 0.5}};
      },
      {spec_.stand_x, spec_.stand_y});
  const Place nose = turned_by({0, 1, 0}, value(spec_.turn));
  dot(s.at(v.listener) + QPointF(22 * nose.x, -22 * nose.y), spec_.turn,
      [this, s, v](QPointF to) {
        return std::vector<DragValue>{{spec_.turn, degrees(s.place(to) - v.listener), 1}};
      },
      {spec_.turn});
  const auto wall = [&](Grip::Form form, QPointF at, int of, auto drag) {
    all.push_back(
        {.form = form, .at = at, .reach = 7, .page = page(of), .drag = drag, .resets = {of}});
  };
  // A pixel is as many metres as when it was taken.
  const bool whole = s.on_screen.width() > (v.size.x - 0.01) * s.pixels_per_m &&
                     s.on_screen.height() > (v.size.y - 0.01) * s.pixels_per_m;
  if (whole) {
    wall(Grip::Form::dot,
         {s.at({s.from.x, 0, 0}).x() + s.on_screen.width(), s.on_screen.center().y()}, spec_.width,
         [this, s, v](QPointF to) {
           return std::vector<DragValue>{{spec_.width, s.place(to).x, 0.05}};
         });
    wall(Grip::Form::dot, {s.on_screen.center().x(), s.on_screen.top()}, spec_.length,
         [this, s, v](QPointF to) {
           return std::vector<DragValue>{{spec_.length, s.place(to).y, 0.05}};
         });
  }
  if (!v.outdoors)
    wall(Grip::Form::dot, {strip.center().x(), strip_y(s, v.outdoors ? 0 : v.size.z)}, spec_.height,
         [this, s](QPointF to) {
           return std::vector<DragValue>{
               {spec_.height, (strip_rect().bottom() - 22 - to.y()) / s.strip_pixels_per_m, 0.05}};
         });
  // The floor, to touch: there is a room's page outdoors as well.
  all.push_back({.at = {strip.center().x(), strip_y(s, 0)}, .reach = 9, .page = page(spec_.width)});
  if (!v.path.empty() && value(spec_.path) != spec_.drawn_path) {
    // As far from its middle as the path reaches.
    Place far = v.path.front();
    for (const Place& p : v.path)
      if ((p - v.source).length() > (far - v.source).length()) far = p;
    const double reach = std::max((far - v.source).length(), 0.05), size = value(spec_.path_size);
    dot(s.at(far), spec_.path_size,
        [this, s, v, reach, size](QPointF to) {
          Place way = s.place(to) - v.source;
          way.z = 0;
          return std::vector<DragValue>{{spec_.path_size, size * way.length() / reach, 0.05}};
        },
        {spec_.path_size});
  }
  if (!v.outdoors) {
    const QRectF r = decay_rect();
    const double now = v.decay_s[4], pct = value(spec_.decay);
    dot({r.center().x(), height_of(r, now)}, spec_.decay,
        [this, now, pct](QPointF to) {
          return std::vector<DragValue>{
              {spec_.decay, pct * seconds_at(decay_rect(), to.y()) / now, 1}};
        },
        {spec_.decay});
  }
  return all;
}

void PlanPicture::draw_walls(QPainter& p, const PlanView& v, const Scaled& s) const {
  const Theme& t = theme();
  const QRectF r = s.on_screen;
  p.fillRect(r, faded(t.line, v.outdoors ? 0.1 : 0.22));
  // The harder a wall, the brighter and thicker; what is open is dotted.
  const auto wall = [&](size_t side, QPointF from, QPointF to) {
    const double hard = v.hardness[side];
    p.setPen(hard < 0.02 ? QPen(faded(t.quiet, 0.5), 1, Qt::DotLine)
                         : QPen(faded(t.quiet, 0.35 + 0.65 * hard), 1.5 + 3.5 * hard));
    p.drawLine(from, to);
  };
  wall(left_side, r.topLeft(), r.bottomLeft());
  wall(right_side, r.topRight(), r.bottomRight());
  wall(back_side, r.bottomLeft(), r.bottomRight());
  wall(front_side, r.topLeft(), r.topRight());
  p.setPen(t.quiet);
  const double metres = s.on_screen.width() / s.pixels_per_m;
  p.drawText(QRectF(r.left() - 40, r.bottom() + 1, r.width() + 80, 15), Qt::AlignCenter,
             v.outdoors ? tr("%1 m of it").arg(metres, 0, 'f', 0)
                        : tr("%1 x %2 m").arg(v.size.x, 0, 'f', 1).arg(v.size.y, 0, 'f', 1));
}

void PlanPicture::draw_ways(QPainter& p, const PlanView& v, const Scaled& s) const {
  const Theme& t = theme();
  const QPointF source_at = s.at(now_.value_or(v.source)), ear = s.at(v.listener);
  p.save();
  p.setClipRect(s.on_screen.adjusted(-2, -2, 2, 2));
  if (v.critical_m > 0) {
    p.setPen(QPen(faded(t.removed, 0.8), 1, Qt::DashLine));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(ear, v.critical_m * s.pixels_per_m, v.critical_m * s.pixels_per_m);
  }
  p.setPen(QPen(faded(t.before, 0.55), 1));
  for (const Place& b : v.bounces) {
    p.drawLine(source_at, s.at(b));
    p.drawLine(s.at(b), ear);
  }
  p.setPen(QPen(t.after, 1.5));
  p.drawLine(source_at, ear);
  if (!v.path.empty()) {
    QPolygonF line;
    for (const Place& at : v.path) line << s.at(at);
    p.setPen(QPen(t.attention, 1.5, Qt::DashLine));
    p.drawPolyline(line);
  }
  p.setPen(QPen(t.attention, 2));
  p.drawPolyline(stroke_);
  p.restore();
}

void PlanPicture::draw_people(QPainter& p, const PlanView& v, const Scaled& s) const {
  const Theme& t = theme();
  const auto all = grips();
  // The listener: a head with a nose.
  p.setPen(QPen(holds(listener) || holds(look) ? t.attention : t.text, 1.5));
  p.setBrush(t.raised);
  p.drawLine(all[listener].at, all[look].at);
  p.drawEllipse(all[listener].at, 8, 8);
  p.setBrush(holds(look) ? t.attention : t.text);
  p.drawEllipse(all[look].at, 3.5, 3.5);
  // The source, and where it faces.
  const QPointF at = s.at(now_.value_or(v.source));
  Place way = v.listener - v.source;
  way.z = 0;
  way = turned_by(way * (1 / std::max(way.length(), 1e-6)), value(spec_.faces));
  p.setPen(QPen(t.after, 2));
  p.drawLine(at, at + QPointF(18 * way.x, -18 * way.y));
  p.setPen(QPen(t.window, 1));
  p.setBrush(holds(source) ? t.attention : t.after);
  p.drawEllipse(at, 8, 8);
  // What else can be held.
  for (size_t i = others; i < all.size(); ++i) {
    p.setPen(QPen(t.window, 1));
    p.setBrush(holds(i) ? t.attention : faded(t.text, 0.85));
    p.drawEllipse(all[i].at, 4.5, 4.5);
  }
}

void PlanPicture::draw_strip(QPainter& p, const PlanView& v, const Scaled& s) const {
  const Theme& t = theme();
  const QRectF r = strip_rect();
  const double floor = strip_y(s, 0), x = r.center().x();
  p.setPen(QPen(t.quiet, 1.5 + 3.5 * v.hardness[floor_side]));
  p.drawLine(QPointF(r.left() + 6, floor), QPointF(r.right() - 6, floor));
  if (!v.outdoors) {
    p.setPen(QPen(t.quiet, 1.5 + 3.5 * v.hardness[ceiling_side]));
    p.drawLine(QPointF(r.left() + 6, strip_y(s, v.size.z)),
               QPointF(r.right() - 6, strip_y(s, v.size.z)));
  }
  p.setPen(QPen(t.text, 2));
  p.drawLine(QPointF(x - 18, floor), QPointF(x - 18, strip_y(s, v.listener.z)));
  p.setBrush(t.raised);
  p.drawEllipse(QPointF(x - 18, strip_y(s, v.listener.z)), 5, 5);
  p.setPen(QPen(t.after, 1.5));
  p.drawLine(QPointF(x - 18, strip_y(s, v.listener.z)), QPointF(x + 18, strip_y(s, v.source.z)));
  p.setBrush(holds(height) ? t.attention : t.after);
  p.setPen(QPen(t.window, 1));
  p.drawEllipse(QPointF(x + 18, strip_y(s, v.source.z)), 6, 6);
  p.setPen(t.quiet);
  p.drawText(QRectF(r.left(), floor + 4, r.width(), 15), Qt::AlignCenter,
             v.outdoors ? tr("heights") : tr("%1 m").arg(v.size.z, 0, 'f', 1));
}

void PlanPicture::draw_decay(QPainter& p, const PlanView& v) const {
  const Theme& t = theme();
  const QRectF r = decay_rect();
  for (const double seconds : {0.1, 0.3, 1.0, 3.0, 10.0}) {
    const double y = height_of(r, seconds);
    p.setPen(QPen(faded(t.line, 0.7), 1));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
    p.setPen(t.quiet);
    p.drawText(QRectF(r.left() - 34, y - 8, 30, 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1 s").arg(seconds));
  }
  if (v.outdoors) {
    p.setPen(t.quiet);
    p.drawText(r, Qt::AlignCenter, tr("rings not"));
    return;
  }
  const double width = r.width() / octave_count;
  for (size_t b = 0; b < octave_count; ++b) {
    const double x = r.left() + width * static_cast<double>(b), y = height_of(r, v.decay_s[b]);
    p.fillRect(QRectF(QPointF(x + 2, y), QPointF(x + width - 2, r.bottom())),
               faded(step()->on ? t.after : t.quiet, 0.6));
    p.setPen(t.quiet);
    const double hz = octave_hz[b];
    if (b % 2 == 1)
      p.drawText(QRectF(x - 12, r.bottom() + 2, width + 24, 15), Qt::AlignCenter,
                 hz < 1000 ? QString::number(hz) : tr("%1k").arg(hz / 1000));
  }
}

void PlanPicture::draw_words(QPainter& p, const PlanView& v) const {
  const Theme& t = theme();
  const QRectF r = plan_rect();
  const Place at = now_.value_or(v.source), way = at - v.listener;
  p.setPen(t.quiet);
  p.drawText(r.adjusted(4, 0, -4, 0), Qt::AlignLeft | Qt::AlignTop,
             tr("x %1  y %2  z %3  %4 m away")
                 .arg(at.x, 0, 'f', 1)
                 .arg(at.y, 0, 'f', 1)
                 .arg(at.z, 0, 'f', 1)
                 .arg(way.length(), 0, 'f', 1));
  if (!v.held_back) return;
  p.setPen(t.attention);
  p.drawText(r.adjusted(4, 14, -4, 0), Qt::AlignLeft | Qt::AlignTop, tr("held back by a wall"));
}

void PlanPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.setFont(small_font());
  p.setPen(Qt::NoPen);
  p.setBrush(theme().window);
  for (const QRectF& area : {plan_rect(), strip_rect(), decay_rect()}) {
    p.setPen(Qt::NoPen);
    p.setBrush(theme().window);
    p.drawRoundedRect(area, 4, 4);
  }
  const PlanView v = spec_.view(settings(), 0);
  const Scaled s = scaled(v);
  draw_walls(p, v, s);
  draw_ways(p, v, s);
  draw_strip(p, v, s);
  draw_decay(p, v);
  draw_people(p, v, s);
  draw_words(p, v);
}

}  // namespace drevan::desktop
