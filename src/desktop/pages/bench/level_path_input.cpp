// SPDX-License-Identifier: GPL-3.0-or-later
// The level path under mouse and keys.
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>
#include <cmath>

#include "pages/bench/level_path.h"
#include "pages/bench/step_chooser.h"
#include "steps/catalogue.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

QString level_text(const std::optional<double>& db, const QString& unit) {
  return db ? QString::number(*db, 'f', 1) + " " + unit : QString("-");
}

}  // namespace

void LevelPathView::ask_step(ChainOwner owner, int index, const QPoint& global) {
  (new StepChooser(work_, {owner, index}, this))->open_at(global);
}

void LevelPathView::mousePressEvent(QMouseEvent* e) {
  const auto all = columns();
  const Column* c = at(all, e->position().x());
  if (!c || e->button() != Qt::LeftButton) return;
  if (c->kind == Kind::add && add_rect(c->place.owner).contains(e->position()))
    return ask_step(c->place.owner, c->place.index, e->globalPosition().toPoint());
  double gap_x = 0;
  const auto gap = gap_at(all, e->position().x(), &gap_x);
  const QPointF plus(gap_x, plot_rect().center().y());
  if (gap && QLineF(plus, e->position()).length() < 10)
    return ask_step(gap->owner, gap->index, e->globalPosition().toPoint());
  if (c->kind != Kind::step) return;
  if (switch_rect(c->place).contains(e->position())) return switch_step(ChainStep(*c->step));
  grab_ = Grab::of_clip(work_.document, work_.selection.clip_id());
  pressed_ = c->step->id;
  pressed_at_ = e->position();
  work_.selection.select_step(pressed_);
}

void LevelPathView::switch_step(const ChainStep& step) {
  work_.document.change([&](const Reel& reel) {
    return edits::switch_step(reel, work_.selection.clip_id(), step.id, !step.on);
  });
}

void LevelPathView::remove_step(StepId step) {
  work_.document.change(
      [&](const Reel& reel) { return edits::remove_step(reel, work_.selection.clip_id(), step); });
}

void LevelPathView::move_step(StepId step, StepPlace to) {
  work_.document.change([&](const Reel& reel) {
    return edits::move_step(reel, work_.selection.clip_id(), step, to);
  });
}

void LevelPathView::mouseMoveEvent(QMouseEvent* e) {
  pointer_ = e->position();
  if (pressed_ != 0 && std::abs(pointer_.x() - pressed_at_.x()) > 8) dragging_ = true;
  if (dragging_) setCursor(Qt::ClosedHandCursor);
  update();
}

void LevelPathView::mouseReleaseEvent(QMouseEvent* e) {
  const StepId moved = std::exchange(pressed_, StepId{});
  const bool dragged = std::exchange(dragging_, false);
  unsetCursor();
  if (moved != 0 && dragged) {
    double gap_x = 0;
    if (const auto to = gap_at(columns(), e->position().x(), &gap_x)) move_step(moved, *to);
  }
  update();
}

void LevelPathView::leaveEvent(QEvent*) {
  pointer_ = {-1, -1};
  update();
}

void LevelPathView::contextMenuEvent(QContextMenuEvent* e) {
  const auto all = columns();
  const Column* c = at(all, e->pos().x());
  if (!c || c->kind != Kind::step) return;
  const ChainStep step = *c->step;
  const ChainOwner of = c->place.owner;
  work_.selection.select_step(step.id);
  QMenu menu(this);
  menu.addAction(step.on ? tr("Switch off") : tr("Switch on"), [&] { switch_step(step); });
  menu.addAction(tr("Remove"), [&] { remove_step(step.id); });
  menu.addSeparator();
  if (of != ChainOwner::clip) {
    const bool out = std::ranges::binary_search(step.sits_out, work_.selection.clip_id());
    menu.addAction(out ? tr("This clip takes part in it again") : tr("This clip sits out of it"),
                   [&] {
                     work_.document.change([&](const Reel& reel) {
                       return edits::sit_out(reel, work_.selection.clip_id(), step.id, !out);
                     });
                   });
  }
  const auto to = [&](ChainOwner owner, const QString& label) {
    if (owner == of) return;
    const auto end = static_cast<int>(
        chain_of(work_.document.reel(), *work_.selection.clip(), owner).steps.size());
    // Downwards it becomes the first of what follows, upwards the last of what comes before.
    menu.addAction(label, [this, id = step.id, of, owner, end] {
      move_step(id, {owner, owner > of ? 0 : end});
    });
  };
  to(ChainOwner::clip, tr("For this clip alone"));
  to(ChainOwner::group, tr("For the whole group"));
  to(ChainOwner::reel, tr("For the whole reel"));
  menu.exec(e->globalPos());
}

std::optional<StepPlace> LevelPathView::selected_place() const {
  const Clip* clip = work_.selection.clip();
  return clip ? place_of(work_.document.reel(), *clip, work_.selection.step_id()) : std::nullopt;
}

void LevelPathView::move_selected(int by) {
  const auto place = selected_place();
  if (!place) return;
  StepPlace to = *place;
  to.index += by > 0 ? 2 : -1;
  const auto count = static_cast<int>(
      chain_of(work_.document.reel(), *work_.selection.clip(), to.owner).steps.size());
  if (to.index >= 0 && to.index <= count) move_step(work_.selection.step_id(), to);
}

void LevelPathView::keyPressEvent(QKeyEvent* e) {
  std::vector<StepId> steps;
  for (const auto& c : columns())
    if (c.kind == Kind::step) steps.push_back(c.step->id);
  const auto selected = selected_place();
  const auto at = std::ranges::find(steps, work_.selection.step_id());
  const auto go = [&](int by) {
    if (steps.empty()) return;
    const auto i = at == steps.end() ? 0
                                     : std::clamp(static_cast<int>(at - steps.begin()) + by, 0,
                                                  static_cast<int>(steps.size()) - 1);
    work_.selection.select_step(steps[static_cast<size_t>(i)]);
  };
  const bool move = e->modifiers() & Qt::ControlModifier;
  switch (e->key()) {
    case Qt::Key_Left:
      move ? move_selected(-1) : go(-1);
      break;
    case Qt::Key_Right:
      move ? move_selected(1) : go(1);
      break;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      if (selected) remove_step(work_.selection.step_id());
      break;
    case Qt::Key_O:
      if (const ChainStep* step = work_.selection.step()) switch_step(ChainStep(*step));
      break;
    case Qt::Key_Insert:
    case Qt::Key_Plus: {
      const ChainOwner owner = selected ? selected->owner : ChainOwner::clip;
      const QRectF r = add_rect(owner);
      ask_step(owner, selected ? selected->index + 1 : 0, mapToGlobal(r.center().toPoint()));
      break;
    }
    default:
      QWidget::keyPressEvent(e);
  }
}

bool LevelPathView::event(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QWidget::event(e);
  const auto* help = static_cast<QHelpEvent*>(e);
  const auto all = columns();
  const Column* c = at(all, help->pos().x());
  const auto* levels = work_.measurements.levels();
  if (!c) return true;
  QString tip;
  if (c->kind == Kind::add) {
    tip = c->place.owner == ChainOwner::clip    ? tr("Add a step for this clip")
          : c->place.owner == ChainOwner::group ? tr("Add a step for every clip of this group")
                                                : tr("Add a step for every clip of the reel");
  } else if (levels && c->stage < static_cast<int>(levels->stages.size())) {
    const Levels& l = levels->stages[static_cast<size_t>(c->stage)];
    tip = QString("<b>%1</b><br>%2")
              .arg(c->step ? text(c->step->type->label) : tr("As recorded"),
                   tr("Peak %1, loudness %2, noise floor %3")
                       .arg(level_text(l.sample_peak_dbfs, "dBFS"),
                            level_text(l.loudness_lufs, "LUFS"),
                            level_text(l.noise_floor_dbfs, "dBFS")));
    if (c->step)
      tip += "<br>" + tr("Drag to move, the dot switches it on and off, Delete removes it.");
  }
  QToolTip::showText(help->globalPos(), tip, this);
  return true;
}

}  // namespace drevan::desktop
