// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/scene_plan.h"

#include <QApplication>
#include <QMouseEvent>
#include <QPainter>
#include <QTransform>
#include <cmath>
#include <numbers>

#include "engine/scene/scene_sound.h"
#include "reel/scene/sends.h"
#include "reel/edits/takes.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr double pi = std::numbers::pi;
constexpr double reach_px = 12;
// Panned sounds stand on a ring.
constexpr double pan_m = 2;

double metres(const Standing& s) {
  return s.by == StandsBy::pan || s.by == StandsBy::nothing ? pan_m : s.distance_m;
}

}  // namespace

ScenePlan::ScenePlan(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("scene_plan");
  setAccessibleName(tr("Plan: who stands where"));
  setToolTip(
      tr("From above: drag a sound to where it is heard from. While it plays, or where it "
         "moves already, the movement is kept. Ctrl and drag: of its group this clip alone. "
         "Double-click: back to where all stand"));
  setMouseTracking(true);
  const auto fresh = [this] {
    if (held_ && !grab_.holds(work_.document, work_.selection.clip_id())) held_.reset();
    update();
  };
  connect(&work_.document, &Document::reel_changed, this, fresh);
  connect(&work_.selection, &Selection::clip_changed, this, fresh);
}

void ScenePlan::show_playhead(double reel_s, bool playing) {
  if (reel_s == reel_s_ && playing == playing_) return;
  reel_s_ = reel_s;
  playing_ = playing;
  update();
}

const Clip* ScenePlan::selected() const {
  const Clip* clip = work_.selection.clip();
  return clip && !is_bus(*clip) ? clip : nullptr;
}

// Within the clip, where it does not sound now.
double ScenePlan::clip_s(const Clip& clip) const {
  const ClipTimes times = work_.scene.times(work_.document.reel(), clip);
  return std::clamp(heard(times, ReelTime{reel_s_}).s, 0.0, whole_heard(times).end.s);
}

std::vector<ScenePlan::Dot> ScenePlan::dots() const {
  const Reel& reel = work_.document.reel();
  const Clip* own = selected();
  const SpaceId space = own ? standing_at(reel, *own, 0).space : 0;
  std::vector<Dot> out;
  for (const ClipId id : rendered_clips(reel)) {
    const Clip& clip = *reel.find(id);
    const ReelRange range = whole_in_reel(work_.scene.times(reel, clip));
    const bool sounds = ReelTime{reel_s_} >= range.begin && ReelTime{reel_s_} <= range.end;
    const Standing standing = standing_at(reel, clip, clip_s(clip));
    // In one room all who stand there; else those that sound now.
    if (&clip != own && (space != 0 ? standing.space != space : !sounds)) continue;
    if (&clip != own && space == 0 && standing.by == StandsBy::nothing) continue;
    const GroupId group = standing.feeder.group;
    const QString name = QString::fromStdString(group ? reel.group_of(clip).name : clip.name);
    // A group stands as one.
    const auto same = [&](const Dot& d) { return group && d.standing.feeder.group == group; };
    if (const auto there = std::ranges::find_if(out, same); there != out.end()) {
      if (&clip == own) there->clip = id, there->selected = true;
      continue;
    }
    out.push_back({id, standing, name, &clip == own});
  }
  return out;
}

std::optional<ScenePlan::Room> ScenePlan::room() const {
  const Clip* own = selected();
  if (!own) return std::nullopt;
  const Reel& reel = work_.document.reel();
  const Standing standing = standing_at(reel, *own, 0);
  const ChainStep* step = nullptr;
  if (standing.by == StandsBy::space) step = placing_step(*find_space(reel, standing.space));
  if (standing.by == StandsBy::acoustics)
    for (const ChainStep& s : own->chain.steps)
      if (s.on && is(s, Role::place)) step = &s;
  const auto* spec = step ? std::get_if<PlanSpec>(&spec_of((step->type->picture))) : nullptr;
  if (!spec) return std::nullopt;
  return Room{spec->view(step->settings, 0), step->settings[static_cast<size_t>(spec->turn)]};
}

ScenePlan::Layout ScenePlan::layout(const std::vector<Dot>& dots,
                                    const std::optional<Room>& room) const {
  if (held_) return *held_;
  Layout l;
  bool behind = false;
  for (const Dot& d : dots) {
    l.reach_m = std::max(l.reach_m, 1.25 * metres(d.standing));
    behind = behind || std::abs(d.standing.azimuth_deg) > 90;
  }
  if (room && !room->view.outdoors) {
    const PlanView& v = room->view;
    behind = true;
    // All of a room that is not very much larger than what stands in it.
    if (std::max(v.size.x, v.size.y) < 6 * l.reach_m) return in_room(*room);
  }
  const QRectF area = QRectF(rect()).adjusted(10, 20, -10, -14);
  const double high = behind ? area.height() / 2 : area.height() - 14;
  l.pixels_per_m = std::min(area.width() / 2, high) / l.reach_m;
  l.ear = {area.center().x(), behind ? area.center().y() : area.bottom() - 14};
  return l;
}

// The whole room, as large as it fits, turned as the listener stands.
ScenePlan::Layout ScenePlan::in_room(const Room& room) const {
  const QRectF area = QRectF(rect()).adjusted(14, 24, -14, -14);
  const PlanView& v = room.view;
  QTransform turn;
  turn.rotate(-room.turn_deg);
  const QRectF walls =
      turn.mapRect(QRectF(-v.listener.x, v.listener.y - v.size.y, v.size.x, v.size.y));
  Layout l;
  l.pixels_per_m = std::min(area.width() / walls.width(), area.height() / walls.height());
  l.reach_m = std::max(walls.width(), walls.height()) / 2;
  l.ear = area.center() - walls.center() * l.pixels_per_m;
  return l;
}

QPointF ScenePlan::at(const Layout& l, double azimuth_deg, double distance_m) const {
  const double a = azimuth_deg * pi / 180, d = distance_m * l.pixels_per_m;
  return {l.ear.x() + d * std::sin(a), l.ear.y() - d * std::cos(a)};
}

std::optional<QPointF> ScenePlan::dot(ClipId clip) const {
  const auto all = dots();
  const Layout l = layout(all, room());
  for (const Dot& d : all)
    if (d.clip == clip) return at(l, d.standing.azimuth_deg, metres(d.standing));
  return std::nullopt;
}

void ScenePlan::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  const auto all = dots();
  const Layout l = layout(all, room());
  const Dot* nearest = nullptr;
  double best = reach_px;
  for (const Dot& d : all) {
    const QPointF p = at(l, d.standing.azimuth_deg, metres(d.standing)) - e->position();
    const double far = std::hypot(p.x(), p.y()) - (d.selected ? 4 : 0);
    if (far < best) best = far, nearest = &d;
  }
  if (!nearest) return;
  if (!nearest->selected) work_.selection.select_clip(nearest->clip);
  work_.document.end_merge();
  held_ = l;
  grab_ = Grab::of_clip(work_.document, work_.selection.clip_id());
  grabbed_at_ = e->position();
  grabbed_beside_ = e->position() - at(l, nearest->standing.azimuth_deg, metres(nearest->standing));
  dragged_ = false;
  last_s_ = selected() ? clip_s(*selected()) : 0;
}

void ScenePlan::mouseMoveEvent(QMouseEvent* e) {
  if (!held_ || !(e->buttons() & Qt::LeftButton)) return;
  // Who only clicks moves nobody.
  const QPointF by = e->position() - grabbed_at_;
  dragged_ = dragged_ || by.manhattanLength() >= QApplication::startDragDistance();
  if (dragged_) hold(e->position() - grabbed_beside_, e->modifiers().testFlag(Qt::ControlModifier));
}

void ScenePlan::hold(QPointF to, bool alone) {
  const Clip* clip = selected();
  if (!clip) return;
  const QPointF way = to - held_->ear;
  edits::Hold hold;
  hold.azimuth_deg = std::round(2 * std::atan2(way.x(), -way.y()) * 180 / pi) / 2;
  hold.distance_m =
      std::max(0.2, std::round(20 * std::hypot(way.x(), way.y()) / held_->pixels_per_m) / 20);
  const double now = clip_s(*clip);
  hold.to_s = now;
  hold.from_s = now > last_s_ && now - last_s_ < 0.5 ? last_s_ : now;
  hold.over_time = playing_;
  hold.alone = alone;
  const ClipId id = clip->id;
  work_.document.change([&](const Reel& reel) { return edits::hold_at(reel, id, hold); });
  last_s_ = now;
}

void ScenePlan::mouseReleaseEvent(QMouseEvent*) {
  if (!held_) return;
  held_.reset();
  work_.document.end_merge();
  update();
}

void ScenePlan::mouseDoubleClickEvent(QMouseEvent* e) {
  held_.reset();
  const Clip* clip = selected();
  const auto here = clip ? dot(clip->id) : std::nullopt;
  if (!here || (*here - e->position()).manhattanLength() > reach_px) return;
  const Standing now = standing_at(work_.document.reel(), *clip, 0);
  if (now.by != StandsBy::space) return;
  work_.document.change([&](const Reel& reel) {
    return edits::place_in_space(reel, now.feeder, now.space, std::nullopt);
  });
}

void ScenePlan::draw_ground(QPainter& p, const Layout& l, const std::optional<Room>& room) const {
  const Theme& t = theme();
  if (room && !room->view.outdoors) {
    const PlanView& v = room->view;
    const QRectF walls(QPointF(-v.listener.x, v.listener.y - v.size.y) * l.pixels_per_m,
                       QSizeF(v.size.x, v.size.y) * l.pixels_per_m);
    p.save();
    p.translate(l.ear);
    p.rotate(-room->turn_deg);
    p.setPen(QPen(faded(t.quiet, 0.7), 2));
    p.setBrush(faded(t.line, 0.2));
    p.drawRect(walls);
    p.restore();
  }
  p.setFont(small_font());
  p.setBrush(Qt::NoBrush);
  for (const double m : {1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0}) {
    if (m > 1.6 * l.reach_m || m * l.pixels_per_m < 24) continue;
    p.setPen(QPen(faded(t.line, 0.8), 1));
    p.drawEllipse(l.ear, m * l.pixels_per_m, m * l.pixels_per_m);
    p.setPen(faded(t.quiet, 0.8));
    p.drawText(QRectF(l.ear.x() + 3, l.ear.y() - m * l.pixels_per_m - 13, 60, 13), Qt::AlignLeft,
               tr("%1 m").arg(m));
  }
  // What the picture shows.
  p.setPen(QPen(faded(t.removed, 0.7), 1, Qt::DashLine));
  for (const double side : {-1.0, 1.0})
    p.drawLine(l.ear, at(l, side * edits::picture_half_deg, 1.5 * l.reach_m));
  p.setPen(QPen(t.text, 1.5));
  p.setBrush(t.raised);
  p.drawEllipse(l.ear, 6, 6);
  p.drawLine(l.ear - QPointF(0, 6), l.ear - QPointF(0, 11));
}

// Where it has been and will be.
void ScenePlan::draw_way(QPainter& p, const Layout& l, const Clip& clip) const {
  const Reel& reel = work_.document.reel();
  if (!standing_at(reel, clip, 0).moves) return;
  const double length = whole_heard(work_.scene.times(reel, clip)).end.s;
  QPolygonF way;
  for (int i = 0; i <= 160; ++i) {
    const Standing s = standing_at(reel, clip, length * i / 160);
    way << at(l, s.azimuth_deg, metres(s));
  }
  p.setPen(QPen(theme().attention, 1.6, Qt::DashLine));
  p.setBrush(Qt::NoBrush);
  p.drawPolyline(way);
}

void ScenePlan::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Theme& t = theme();
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(t.panel);
  p.drawRoundedRect(rect(), 6, 6);
  p.setClipRect(rect().adjusted(2, 2, -2, -2));
  const auto all = dots();
  const auto in = room();
  const Layout l = layout(all, in);
  draw_ground(p, l, in);
  if (const Clip* own = selected()) draw_way(p, l, *own);
  p.setFont(small_font());
  // The selected one last: it is what is held where several stand.
  for (const bool selected : {false, true})
    for (const Dot& d : all) {
      if (d.selected != selected) continue;
      const QPointF here = at(l, d.standing.azimuth_deg, metres(d.standing));
      p.setPen(QPen(t.window, 1.5));
      p.setBrush(selected ? t.attention : t.after);
      p.drawEllipse(here, selected ? 7 : 6, selected ? 7 : 6);
      p.setPen(selected ? t.attention : t.text);
      const double wide = p.fontMetrics().horizontalAdvance(d.name);
      const bool left = here.x() + 12 + wide > width() - 6;
      p.drawText(here + QPointF(left ? -12 - wide : 10, 4), d.name);
    }
  p.setPen(t.quiet);
  QString told = tr("Choose a clip: it is seen here from above.");
  for (const Dot& d : all) {
    if (!d.selected) continue;
    const QString deg = QString::number(d.standing.azimuth_deg, 'f', 0);
    switch (d.standing.by) {
      case StandsBy::space:
        told = tr("%1, in %2: %3 deg, %4 m")
                   .arg(d.name,
                        QString::fromStdString(
                            find_space(work_.document.reel(), d.standing.space)->clip.name),
                        deg)
                   .arg(d.standing.distance_m, 0, 'f', 1);
        break;
      case StandsBy::acoustics:
        told = tr("%1, by its Acoustics: %2 deg, %3 m")
                   .arg(d.name, deg)
                   .arg(d.standing.distance_m, 0, 'f', 1);
        break;
      case StandsBy::pan:
        told = tr("%1, from left to right alone: %2 deg").arg(d.name, deg);
        break;
      case StandsBy::nothing:
        told = tr("%1 stands in the middle").arg(d.name);
        break;
    }
  }
  p.drawText(rect().adjusted(10, 5, -10, 0), Qt::AlignLeft | Qt::AlignTop,
             p.fontMetrics().elidedText(told, Qt::ElideRight, width() - 20));
}

}  // namespace drevan::desktop
