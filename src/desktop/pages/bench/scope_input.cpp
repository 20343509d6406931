// SPDX-License-Identifier: GPL-3.0-or-later
// Mouse, wheel and keys in the scope.
#include <QMouseEvent>
#include <cmath>

#include "pages/bench/scope.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

Scope::Drag Scope::edge_at(QPointF at) const {
  const double x = at.x();
  if (const QRectF legend = ScopeSpectrogram::legend_rect(wave_rect()).adjusted(-4, -6, 5, 6);
      spectrogram_->on() && legend.contains(at))
    return at.y() < legend.center().y() ? Drag::legend_top : Drag::legend_floor;
  if (const auto grip = grip_at(at)) return *grip;
  const Clip* clip = work_.selection.clip();
  if (!clip || !clip->room_tone) return Drag::none;
  if (std::abs(x - x_of(clip->room_tone->begin.s)) < 4) return Drag::tone_begin;
  if (std::abs(x - x_of(clip->room_tone->end.s)) < 4) return Drag::tone_end;
  return Drag::none;
}

void Scope::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !work_.selection.clip()) return;
  pressed_x_ = e->position().x();
  pressed_y_ = e->position().y();
  pressed_top_db_ = spectrogram_->top_db();
  pressed_range_db_ = spectrogram_->range_db();
  grab_ = Grab::of_clip(work_.document, work_.selection.clip_id());
  drag_ = edge_at(e->position());
  if (drag_ == Drag::legend_top || drag_ == Drag::legend_floor || grip_at(e->position())) return;
  if (marking_) drag_ = Drag::mark;
  if (drag_ == Drag::none) drag_ = Drag::select;
  if (drag_ != Drag::select) marked_ = work_.selection.clip()->room_tone;
}

void Scope::mouseMoveEvent(QMouseEvent* e) {
  const double x = e->position().x();
  if (drag_ == Drag::none) {
    const Drag edge = edge_at(e->position());
    const bool legend = edge == Drag::legend_top || edge == Drag::legend_floor;
    if (!marking_ || legend)
      setCursor(legend               ? Qt::SizeVerCursor
                : edge == Drag::none ? Qt::ArrowCursor
                                     : Qt::SizeHorCursor);
    return;
  }
  if (drag_ == Drag::legend_top || drag_ == Drag::legend_floor)
    return drag_legend(e->position().y());
  if (drag_ >= Drag::trim_begin)
    return drag_grip(seconds_at(x), !e->modifiers().testFlag(Qt::AltModifier));
  const double all = work_.selection.clip_seconds();
  const double here = std::clamp(seconds_at(x), 0.0, all);
  const double there = std::clamp(seconds_at(pressed_x_), 0.0, all);
  const ClipRange range{std::min(here, there), std::max(here, there)};
  if (drag_ == Drag::select && std::abs(x - pressed_x_) > 3) select(range);
  if (drag_ == Drag::mark && std::abs(x - pressed_x_) > 3) marked_ = range;
  if (drag_ == Drag::tone_begin) marked_->begin.s = std::min(here, marked_->end.s - 0.01);
  if (drag_ == Drag::tone_end) marked_->end.s = std::max(here, marked_->begin.s + 0.01);
  update();
}

// Another clip is shown, or this one was cut otherwise: what is dragged is nothing's any more.
void Scope::let_go_of_another() {
  if (drag_ == Drag::none || drag_ == Drag::legend_top || drag_ == Drag::legend_floor ||
      grab_.holds(work_.document, work_.selection.clip_id()))
    return;
  const Drag ended = std::exchange(drag_, Drag::none);
  marked_.reset();
  kept_.reset();
  for (auto& fade : fade_) fade.reset();
  if (ended == Drag::mark) Q_EMIT marking_ended();
}

// Up is quieter sounds brighter: the whole range moves by its upper half, its depth by the lower.
void Scope::drag_legend(double y) {
  const double db = (pressed_y_ - y) * 0.4;
  if (drag_ == Drag::legend_top)
    spectrogram_->set_range(pressed_top_db_ + db, pressed_range_db_ + db);
  else
    spectrogram_->set_range(pressed_top_db_, pressed_range_db_ - db);
}

void Scope::mouseReleaseEvent(QMouseEvent* e) {
  const Drag ended = std::exchange(drag_, Drag::none);
  if (ended == Drag::legend_top || ended == Drag::legend_floor) return;
  if (ended >= Drag::trim_begin) return end_grip(ended);
  if (ended == Drag::select && std::abs(e->position().x() - pressed_x_) <= 3) {
    if (selection_) select(std::nullopt);
    Q_EMIT playhead_set(
        std::clamp(seconds_at(e->position().x()), 0.0, work_.selection.clip_seconds()));
  }
  if (ended == Drag::none || ended == Drag::select) return;
  const auto range = std::exchange(marked_, std::nullopt);
  if (range && std::abs(e->position().x() - pressed_x_) > 3)
    work_.document.change([&](const Reel& reel) {
      return edits::set_room_tone(reel, work_.selection.clip_id(), range);
    });
  if (ended == Drag::mark) Q_EMIT marking_ended();
  update();
}

void Scope::mouseDoubleClickEvent(QMouseEvent* e) {
  const Drag grip = grip_at(e->position()).value_or(Drag::none);
  if (grip == Drag::fade_in || grip == Drag::fade_out) return turn_fade(grip == Drag::fade_out);
  select(ClipRange{0, work_.selection.clip_seconds()});
}

void Scope::wheelEvent(QWheelEvent* e) {
  const double steps =
      (e->angleDelta().y() != 0 ? e->angleDelta().y() : -e->angleDelta().x()) / 120.0;
  if (e->modifiers() & Qt::ShiftModifier || e->angleDelta().x() != 0)
    show_range(begin_s_ - steps * length_s_ * 0.12, length_s_);
  else
    zoom(std::pow(1.25, steps), seconds_at(e->position().x()));
  e->accept();
}

void Scope::keyPressEvent(QKeyEvent* e) {
  const double step = length_s_ * (e->modifiers() & Qt::ShiftModifier ? 0.002 : 0.02);
  const auto move = [&](double to) {
    Q_EMIT playhead_set(std::clamp(to, 0.0, work_.selection.clip_seconds()));
  };
  switch (e->key()) {
    case Qt::Key_Left:
      move(playhead_s_ - step);
      break;
    case Qt::Key_Right:
      move(playhead_s_ + step);
      break;
    case Qt::Key_Home:
      move(0);
      break;
    case Qt::Key_End:
      move(work_.selection.clip_seconds());
      break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
      zoom(1.5, playhead_s_);
      break;
    case Qt::Key_Minus:
      zoom(1 / 1.5, playhead_s_);
      break;
    case Qt::Key_0:
      show_all();
      break;
    case Qt::Key_Escape:
      select(std::nullopt);
      break;
    default:
      QWidget::keyPressEvent(e);
  }
}

}  // namespace drevan::desktop
