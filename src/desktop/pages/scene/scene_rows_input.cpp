// SPDX-License-Identifier: GPL-3.0-or-later
// Mouse, wheel and keys in the Scene's rows.
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QScrollBar>
#include <QToolTip>
#include <cmath>

#include "pages/scene/scene_rows.h"
#include "reel/times/clip_times.h"
#include "reel/edits/anchors.h"
#include "reel/edits/cuts.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "steps/curve_edit.h"
#include "reel/edits/takes.h"
#include "work/document.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double snap_px = 7, drag_px = 3;
}

// Whether groups' rows are seen there.
bool SceneRows::in_rows(QPointF at) const {
  return at.y() >= rows_top() && (!bus() || at.y() < bus_rect().top());
}

ClipId SceneRows::clip_at(QPointF at) const {
  if (at.x() < header_width + ruler_width || !in_rows(at)) return 0;
  ClipId found = 0;
  for (const Clip& c : work_.document.reel().clips)
    if (!left_out(work_.document.reel(), c) && clip_rect(c.id).adjusted(-2, 0, 2, 0).contains(at))
      // Of those that lie on each other the chosen one, else the last.
      if (found == 0 || work_.selection.clip_id() != found) found = c.id;
  return found;
}

EventId SceneRows::event_at(QPointF at) const {
  if (at.y() < rows_top() - event_height || at.y() >= rows_top()) return 0;
  EventId near = 0;
  for (const Event& e : work_.document.reel().events) {
    if (std::abs(x_of(e.at.s) - at.x()) < 6) return e.id;
    if (event_rect(e.id).contains(at)) near = e.id;
  }
  return near;
}

GroupId SceneRows::header_at(QPointF at) const {
  if (at.x() >= header_width || !in_rows(at)) return 0;
  for (const Group& g : work_.document.reel().groups)
    if (header_rect(g.id).contains(at)) return g.id;
  return 0;
}

void SceneRows::press_header(GroupId group, QPointF at) {
  using Row = SceneSounds::Row;
  const auto toggle = [&](Row to) {
    work_.scene.set_row(group, work_.scene.row(group) == to ? Row::heard : to);
  };
  if (!folded(group) && part_rect(group, 0).contains(at)) return toggle(Row::alone);
  if (!folded(group) && part_rect(group, 1).contains(at)) return toggle(Row::silent);
  if (!folded_.erase(group)) folded_.insert(group);
  follow_size();
  redraw();
}

void SceneRows::set_playhead(double s, By how) {
  const double to = std::clamp(s, 0.0, all_seconds());
  if (how == By::drag && to == playhead_s_) return;
  playhead_s_ = to;
  viewport()->update();
  if (how == By::drag) return Q_EMIT playhead_dragged(to);
  Q_EMIT playhead_set(to);
}

void SceneRows::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  pressed_ = e->position();
  moved_ = false;
  drag_ = Drag::none;
  if (const GroupId group = header_at(pressed_)) return press_header(group, pressed_);
  if (const EventId event = event_at(pressed_)) {
    event_ = event;
    marked_.clear();
    pressed_s_ = find_event(work_.document.reel(), event)->at.s;
    grab_ = Grab::of_event(work_.document, event);
    drag_ = Drag::event;
    redraw();
    Q_EMIT chosen_changed();
    return;
  }
  if (const int hit = line_hit(pressed_); hit >= 0) return press_line(hit, pressed_);
  if (const int anchor = anchor_hit(pressed_); anchor >= 0) {
    const Clip& of = *work_.selection.clip();
    anchor_ = anchor;
    const Anchor held = anchors_of(work_.document.reel(), of)[static_cast<size_t>(anchor)];
    pressed_s_ = edge_s_ = in_reel(times_of(work_.document.reel(), of), held.out).s;
    grab_ = Grab::of_clip(work_.document, of.id);
    drag_ = Drag::anchor;
    return;
  }
  if (const auto crossing = crossing_at(pressed_)) {
    crossing_ = *crossing;
    grab_ = Grab::of_clips(work_.document, {crossing->first, crossing->second});
    drag_ = Drag::cross;
    return redraw();
  }
  if (const Drag edge = edge_at(pressed_); edge != Drag::none) {
    const Clip& held = *work_.selection.clip();
    const ReelRange sounds = whole_in_reel(work_.scene.times(work_.document.reel(), held));
    edge_s_ = edge == Drag::trim_begin ? sounds.begin.s : sounds.end.s;
    pressed_s_ = edge_s_;
    grab_ = Grab::of_clip(work_.document, held.id);
    drag_ = edge == Drag::trim_end && e->modifiers().testFlag(Qt::ControlModifier) ? Drag::stretch
                                                                                   : edge;
    return;
  }
  if (const ClipId clip = clip_at(pressed_)) {
    choose_clip(clip, e->modifiers());
    if (e->modifiers().testFlag(Qt::ControlModifier)) return;
    places_.clear();
    for (const ClipId id : marked())
      places_.emplace_back(id, work_.document.reel().find(id)->place.s);
    pressed_s_ = work_.document.reel().find(clip)->place.s;
    grab_ = Grab::of_clips(work_.document, marked());
    drag_ = Drag::clips;
    return;
  }
  event_.reset();
  marked_.clear();
  redraw();
  Q_EMIT chosen_changed();
  if (pressed_.x() < header_width + ruler_width - 4) return;
  drag_ = Drag::playhead;
  const double s = seconds_at(pressed_.x());
  set_playhead(e->modifiers().testFlag(Qt::AltModifier) ? s : work_.films.to_picture(s), By::jump);
}

// Where a moment is drawn to: an event, an end of another clip, the playhead, else a picture.
std::optional<double> SceneRows::snapped(double s, const std::set<ClipId>& but) const {
  const Reel& reel = work_.document.reel();
  double best = snap_px * per_pixel_s_;
  std::optional<double> out;
  const auto offer = [&](double to) {
    if (std::abs(to - s) < best) {
      best = std::abs(to - s);
      out = to;
    }
  };
  for (int i = 0; i < std::ssize(reel.events); ++i)
    if (const Event& e = reel.events[static_cast<size_t>(i)];
        drag_ != Drag::event || grab_.event() != e.id)
      offer(e.at.s);
  for (const Clip& c : reel.clips) {
    if (but.contains(c.id)) continue;
    const ReelRange sounds = whole_in_reel(work_.scene.times(reel, c));
    offer(sounds.begin.s);
    offer(sounds.end.s);
  }
  for (const Film& film : reel.films) offer(film.place.s);
  if (drag_ != Drag::playhead) offer(playhead_s_);
  offer(0);
  return out;
}

void SceneRows::drag_clips(double x, bool snaps) {
  double by = (x - pressed_.x()) * per_pixel_s_;
  snap_line_s_.reset();
  if (snaps) {
    std::set<ClipId> own;
    for (const auto& [id, at] : places_) own.insert(id);
    // Either end of what was pressed.
    const Clip* held = nullptr;
    for (const auto& [id, at] : places_)
      if (at == pressed_s_) held = work_.document.reel().find(id);
    const double length = held ? clip_seconds(*held) : 0;
    const auto begin = snapped(pressed_s_ + by, own), end = snapped(pressed_s_ + by + length, own);
    if (begin) {
      by = *begin - pressed_s_;
      snap_line_s_ = begin;
    } else if (end) {
      by = *end - length - pressed_s_;
      snap_line_s_ = end;
    } else if (!work_.document.reel().films.empty()) {
      by = work_.films.to_picture(pressed_s_ + by) - pressed_s_;
    }
  }
  std::vector<edits::PlacedClip> to;
  for (const auto& [id, at] : places_) to.push_back({id, {at + by}});
  work_.document.change([&](const Reel& reel) { return edits::place_clips(reel, to); });
}

void SceneRows::mouseMoveEvent(QMouseEvent* e) {
  const QPointF at = e->position();
  const bool snaps = !e->modifiers().testFlag(Qt::AltModifier);
  if (drag_ == Drag::none) {
    const bool line = line_hit(at) >= 0;
    const bool edge = edge_at(at) != Drag::none || crossing_at(at) || anchor_hit(at) >= 0;
    const bool holds = event_at(at) || clip_at(at) != 0;
    viewport()->setCursor(line            ? Qt::SizeAllCursor
                          : edge          ? Qt::SplitHCursor
                          : holds         ? Qt::SizeHorCursor
                          : header_at(at) ? Qt::PointingHandCursor
                                          : Qt::ArrowCursor);
    return;
  }
  if (drag_ == Drag::playhead) {
    const double s = seconds_at(at.x());
    return set_playhead(snaps ? snapped(s, {}).value_or(work_.films.to_picture(s)) : s, By::drag);
  }
  if (drag_ == Drag::line) return drag_line(at);
  if (drag_ == Drag::cross) {
    moved_ = true;
    return drag_crossing(at);
  }
  if (!moved_ && std::abs(at.x() - pressed_.x()) < drag_px) return;
  if (!moved_) work_.document.end_merge();
  moved_ = true;
  if (drag_ == Drag::anchor) return drag_anchor(at.x(), snaps);
  if (drag_ >= Drag::trim_begin) return drag_edge(at.x(), snaps);
  if (drag_ == Drag::clips) return drag_clips(at.x(), snaps);
  const double s = pressed_s_ + (at.x() - pressed_.x()) * per_pixel_s_;
  snap_line_s_ = snaps ? snapped(s, {}) : std::nullopt;
  const double to = snaps ? snap_line_s_.value_or(work_.films.to_picture(s)) : s;
  const EventId event = grab_.event();
  work_.document.change(
      [&](const Reel& reel) { return edits::move_event(reel, event, ReelTime{to}); });
}

void SceneRows::mouseReleaseEvent(QMouseEvent*) {
  if (moved_ && drag_ >= Drag::trim_begin && drag_ <= Drag::stretch) end_edge();
  if (moved_ && drag_ == Drag::anchor) end_anchor();
  if (moved_ && drag_ == Drag::event) end_event();
  if (moved_) work_.document.end_merge();
  if (drag_ == Drag::clips && !moved_ && places_.size() > 1) marked_.clear();
  drag_ = Drag::none;
  moved_ = false;
  snap_line_s_.reset();
  grab_.let_go();
  redraw();
}

void SceneRows::mouseDoubleClickEvent(QMouseEvent* e) {
  if (const EventId event = event_at(e->position())) return rename_event(event);
  if (const int anchor = anchor_hit(e->position()); anchor >= 0) {
    const ClipId id = work_.selection.clip_id();
    work_.document.change([&](const Reel& reel) { return edits::unbind(reel, id, anchor); });
    return;
  }
  if (const int hit = line_hit(e->position()); hit >= 0) return take_point_out(hit);
  if (clip_at(e->position())) Q_EMIT bench_wanted();
}

void SceneRows::rename_event(EventId id) {
  end_name();
  const Event* event = find_event(work_.document.reel(), id);
  if (!event || !isVisible()) return;
  named_ = Grab::of_event(work_.document, id);
  name_ = new QLineEdit(QString::fromStdString(event->name), viewport());
  name_->setObjectName("event_name");
  name_->setGeometry(event_rect(id).adjusted(10, 0, 120, 0).toRect());
  name_->selectAll();
  name_->show();
  name_->setFocus();
  connect(name_, &QLineEdit::editingFinished, this, [this] {
    if (!name_) return;
    const std::string name = name_->text().toStdString();
    const Grab named = named_;
    end_name();
    const Event* now =
        named.alive(work_.document) ? find_event(work_.document.reel(), named.event()) : nullptr;
    if (now && name != now->name)
      work_.document.change(
          [&](const Reel& reel) { return edits::rename_event(reel, named.event(), name); });
    setFocus();
  });
}

// The wheel zooms at the pointer; with Shift, or sideways, it moves along; with Ctrl, up and down.
void SceneRows::wheelEvent(QWheelEvent* e) {
  const QPoint turn = e->angleDelta();
  const bool aside =
      e->modifiers().testFlag(Qt::ShiftModifier) || std::abs(turn.x()) > std::abs(turn.y());
  const double steps = (std::abs(turn.x()) > std::abs(turn.y()) ? turn.x() : turn.y()) / 120.0;
  const bool on_headers = e->position().x() < header_width;
  if (e->modifiers().testFlag(Qt::ControlModifier) || on_headers) {
    verticalScrollBar()->setValue(verticalScrollBar()->value() -
                                  static_cast<int>(steps * least_row));
  } else if (aside) {
    begin_s_ = std::clamp(begin_s_ - steps * 0.1 * view_seconds(), 0.0, all_seconds());
    fitted_ = false;
    redraw();
  } else {
    zoom(std::pow(1.25, steps), seconds_at(e->position().x()));
  }
  e->accept();
}

void SceneRows::keyPressEvent(QKeyEvent* e) {
  const double one = work_.films.picture_s();
  const bool strong = e->modifiers().testFlag(Qt::ShiftModifier);
  switch (e->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right: {
      const double by = (e->key() == Qt::Key_Left ? -one : one) * (strong ? 10 : 1);
      // With Ctrl what is chosen moves, else the playhead.
      if (e->modifiers().testFlag(Qt::ControlModifier)) return nudge(by);
      return set_playhead(work_.films.to_picture(playhead_s_ + by), By::drag);
    }
    case Qt::Key_Home:
      return set_playhead(0, By::jump);
    case Qt::Key_End:
      return set_playhead(all_seconds() / 1.02, By::jump);
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      return remove_chosen();
    case Qt::Key_Escape:
      marked_.clear();
      event_.reset();
      Q_EMIT chosen_changed();
      return redraw();
    case Qt::Key_F2:
      if (event_) rename_event(*event_);
      return;
    default:
      QAbstractScrollArea::keyPressEvent(e);
  }
}

void SceneRows::contextMenuEvent(QContextMenuEvent* e) {
  if (const ClipId clip = clip_at(e->pos())) {
    choose_clip(clip, {});
    Q_EMIT context_wanted(e->globalPos());
  } else if (const int film = film_at(e->pos()); film >= 0) {
    Q_EMIT film_context_wanted(film, e->globalPos());
  }
}

int SceneRows::film_at(QPointF at) const {
  const auto& films = work_.document.reel().films;
  if (at.y() >= strip_height || at.x() < header_width + ruler_width) return -1;
  const Film* seen = work_.films.at(seconds_at(at.x()));
  const auto place = std::ranges::find(films, seen, [](const Film& f) { return &f; });
  return place == films.end() ? -1 : static_cast<int>(place - films.begin());
}

QString SceneRows::tip_at(QPointF at) const {
  const Reel& reel = work_.document.reel();
  if (const EventId event = event_at(at)) {
    const Event& e = *find_event(reel, event);
    return tr("%1, at %2. Drag it, double-click to name it, Delete takes it out.")
        .arg(QString::fromStdString(e.name), work_.films.moment_text(e.at.s));
  }
  if (anchor_hit(at) >= 0)
    return tr("What is heard here is bound here. Drag it to an event; double-click lets it go");
  if (const auto crossing = crossing_at(at))
    return tr("%1 goes over into %2: drag the dot to where both are equal")
        .arg(QString::fromStdString(reel.find(crossing->first)->name),
             QString::fromStdString(reel.find(crossing->second)->name));
  if (const ClipId id = clip_at(at)) {
    const Clip& c = *reel.find(id);
    return tr("%1 begins at %2. Drag it; it snaps to events, clips and pictures (not with Alt). "
              "Double-click opens it on the Bench.")
        .arg(QString::fromStdString(c.name), work_.films.moment_text(c.place.s));
  }
  if (const GroupId group = header_at(at)) {
    if (!folded(group) && part_rect(group, 0).contains(at))
      return tr("Hear this row alone; not kept, never rendered");
    if (!folded(group) && part_rect(group, 1).contains(at))
      return tr("Do not hear this row; not kept, never rendered");
    return tr("%1: click to fold or open its row").arg(QString::fromStdString(reel.at(group).name));
  }
  return {};
}

bool SceneRows::viewportEvent(QEvent* e) {
  if (e->type() == QEvent::ToolTip) {
    auto* help = static_cast<QHelpEvent*>(e);
    QToolTip::showText(help->globalPos(), tip_at(help->pos()), viewport());
    return true;
  }
  return QAbstractScrollArea::viewportEvent(e);
}

}  // namespace drevan::desktop
