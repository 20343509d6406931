// SPDX-License-Identifier: GPL-3.0-or-later
#include "pictures/picture.h"

#include <QMouseEvent>
#include <QPainter>

#include "engine/listening/level_path.h"
#include "pictures/pictures.h"
#include "pictures/place_pictures.h"
#include "pictures/plan_picture.h"
#include "pictures/voice_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/curve_clock.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

struct MakePicture {
  const Work& work;
  StepId id;
  QWidget* parent;
  StepPicture* operator()(const LevelsSpec& s) const {
    return new LevelsPicture(work, id, s, parent);
  }
  StepPicture* operator()(const ResponseSpec& s) const {
    return new ResponsePicture(work, id, s, parent);
  }
  StepPicture* operator()(const TransferSpec& s) const {
    return new TransferPicture(work, id, s, parent);
  }
  StepPicture* operator()(const ReductionSpec& s) const {
    return new ReductionPicture(work, id, s, parent);
  }
  StepPicture* operator()(const CourseSpec& s) const {
    return new CoursePicture(work, id, s, parent);
  }
  StepPicture* operator()(const BandsSpec& s) const {
    return new BandsPicture(work, id, s, parent);
  }
  StepPicture* operator()(const ClockSpec& s) const {
    return new ClockPicture(work, id, s, parent);
  }
  StepPicture* operator()(const FieldSpec& s) const {
    return new FieldPicture(work, id, s, parent);
  }
  StepPicture* operator()(const MotionSpec& s) const {
    return new MotionPicture(work, id, s, parent);
  }
  StepPicture* operator()(const TapsSpec& s) const { return new TapsPicture(work, id, s, parent); }
  StepPicture* operator()(const DecaySpec& s) const {
    return new DecayPicture(work, id, s, parent);
  }
  StepPicture* operator()(const CopiesSpec& s) const {
    return new CopiesPicture(work, id, s, parent);
  }
  StepPicture* operator()(const NotesSpec& s) const {
    return new NotesPicture(work, id, s, parent);
  }
  StepPicture* operator()(const VocoderSpec& s) const {
    return new VocoderPicture(work, id, s, parent);
  }
  StepPicture* operator()(const WallSpec& s) const { return new WallPicture(work, id, s, parent); }
  StepPicture* operator()(const PlanSpec& s) const { return new PlanPicture(work, id, s, parent); }
  StepPicture* operator()(const LoudspeakerSpec& s) const {
    return new LoudspeakerPicture(work, id, s, parent);
  }
  StepPicture* operator()(const EchogramSpec& s) const {
    return new EchogramPicture(work, id, s, parent);
  }
};

Qt::CursorShape cursor_of(Grip::Form form) {
  switch (form) {
    case Grip::Form::level_line:
      return Qt::SizeVerCursor;
    case Grip::Form::upright_line:
      return Qt::SizeHorCursor;
    case Grip::Form::dot:
      break;
  }
  return Qt::OpenHandCursor;
}

}  // namespace

StepPicture* StepPicture::make(const Work& work, StepId id, QWidget* parent) {
  return std::visit(MakePicture{work, id, parent}, spec_of(work.selection.step(id)->type->picture));
}

StepPicture::StepPicture(const Work& work, StepId id, const QString& name, const QString& help,
                         QWidget* parent)
    : QWidget(parent), work_(work), step_id_(id) {
  setMouseTracking(true);
  setObjectName("picture");
  setAccessibleName(name);
  setToolTip(
      QString("<p>%1 %2</p>").arg(help, tr("Shift moves finely, a double click puts it back.")));
}

const ChainStep* StepPicture::step() const { return work_.selection.step(step_id_); }

Settings StepPicture::settings() const { return settings_at(work_, *step(), playhead_s_); }

const Parameter& StepPicture::parameter(int index) const {
  return step()->type->parameters[static_cast<size_t>(index)];
}

std::optional<size_t> StepPicture::measured_stage() const {
  const auto* levels = work_.measurements.levels();
  const int i = work_.selection.running_index(step_id_);
  if (!levels || i < 0 || i >= std::ssize(levels->stages)) return std::nullopt;
  return static_cast<size_t>(i);
}

const Findings* StepPicture::found() const {
  const auto stage = measured_stage();
  if (!stage || *stage >= work_.measurements.levels()->findings.size()) return nullptr;
  const Findings& f = work_.measurements.levels()->findings[*stage];
  return f.empty() ? nullptr : &f;
}

void StepPicture::show_playhead(double clip_s) {
  playhead_s_ = clip_s;
  if (step() && !step()->curves.empty()) update();
}

void StepPicture::live(std::span<const float>, std::span<const float>, std::span<const float>) {}

void StepPicture::set_page(int page) {
  if (page == page_) return;
  page_ = page;
  update();
  Q_EMIT page_chosen(page);
}

QRectF StepPicture::plot_rect() const { return QRectF(rect()).adjusted(30, 8, -4, -18); }

void StepPicture::draw_ground(QPainter& p) const {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().window);
  p.drawRoundedRect(plot_rect(), 4, 4);
  p.setFont(small_font());
}

void StepPicture::draw_line(QPainter& p, size_t grip, const Grip& line, const QRectF& area) const {
  p.setPen(QPen(theme().attention, holds(grip) ? 2 : 1, Qt::DashLine));
  if (line.form == Grip::Form::level_line)
    p.drawLine(QPointF(area.left(), line.at.y()), QPointF(area.right(), line.at.y()));
  else
    p.drawLine(QPointF(line.at.x(), area.top()), QPointF(line.at.x(), area.bottom()));
}

void StepPicture::mousePressEvent(QMouseEvent* e) {
  if (!step() || e->button() != Qt::LeftButton) return;
  const auto all = grips();
  const auto near = grip_near(all, e->position(), page_);
  if (!near) return;
  grip_ = all[*near];
  if (grip_.page > 0) set_page(grip_.page);
  if (!grip_.drag) return;
  grip_taken();
  held_ = near;
  last_ = e->position();
  point_ = last_ + held_offset(grip_, last_);
  // A touch of the grip itself moves nothing.
  if (distance(grip_, last_) > grip_.reach) mouseMoveEvent(e);
  update();
}

void StepPicture::mouseMoveEvent(QMouseEvent* e) {
  if (!step()) return;
  if (!held_) return show_cursor(e->position());
  const bool fine = e->modifiers().testFlag(Qt::ShiftModifier);
  point_ += (e->position() - last_) * (fine ? 0.1 : 1);
  last_ = e->position();
  const Settings now = settings();
  for (const DragValue& value : grip_.drag(point_)) {
    const double next = snapped(value, parameter(value.parameter), fine);
    if (value.within)
      Q_EMIT changed_within(value.parameter, next, *value.within);
    else if (next != now[static_cast<size_t>(value.parameter)])
      Q_EMIT changed(value.parameter, next);
  }
}

void StepPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, std::nullopt)) Q_EMIT settled();
  update();
}

void StepPicture::mouseDoubleClickEvent(QMouseEvent* e) {
  if (!step()) return;
  const auto all = grips();
  const auto near = grip_near(all, e->position(), page_);
  if (!near || all[*near].resets.empty()) return;
  for (const int index : all[*near].resets) Q_EMIT changed(index, parameter(index).standard);
  Q_EMIT settled();
}

void StepPicture::wheelEvent(QWheelEvent* e) {
  if (!step()) return;
  const auto all = grips();
  const auto near = grip_near(all, e->position(), page_);
  const int index = near ? all[*near].wheel : -1;
  if (index < 0) return e->ignore();
  set_page(all[*near].page);
  const Parameter& turned = parameter(index);
  const double step = e->modifiers().testFlag(Qt::ShiftModifier) ? 0.006 : 0.03;
  const double fraction = to_fraction(turned, settings()[static_cast<size_t>(index)]) +
                          e->angleDelta().y() / 120.0 * step;
  Q_EMIT changed(index, from_fraction(turned, fraction));
  e->accept();
}

void StepPicture::show_cursor(QPointF at) {
  const auto all = grips();
  const auto near = grip_near(all, at, page_);
  setCursor(near && all[*near].drag ? cursor_of(all[*near].form) : Qt::ArrowCursor);
}

}  // namespace drevan::desktop
