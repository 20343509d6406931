// The level path under mouse and keys.
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>
#include <cmath>

#include "bench/level_path.h"
#include "steps/catalogue.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {

QString level_text(const std::optional<double>& db, const QString& unit) {
  return db ? QString::number(*db, 'f', 1) + " " + unit : QString("-");
}

}  // namespace

void LevelPathView::ask_step(ChainOwner owner, int index, const QPoint& global) {
  auto* menu = new QMenu(this);
  menu->setObjectName("add_step_menu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  std::optional<Family> family;
  for (const StepType* type : catalogue()) {
    if (family != type->family) menu->addSection(text(family_label(type->family)));
    family = type->family;
    QAction* a = menu->addAction(text(type->label));
    a->setObjectName(text(type->id));
    a->setToolTip(text(type->summary));
    connect(a, &QAction::triggered, this, [this, owner, index, type] { workspace_.add_step(owner, index, *type); });
  }
  menu->setToolTipsVisible(true);
  menu->popup(global);
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
  if (switch_rect(c->place).contains(e->position())) return workspace_.switch_step(c->place, !c->step->on);
  pressed_ = c->place;
  pressed_at_ = e->position();
  workspace_.select_step(c->place);
}

void LevelPathView::mouseMoveEvent(QMouseEvent* e) {
  pointer_ = e->position();
  if (pressed_ && std::abs(pointer_.x() - pressed_at_.x()) > 8) dragging_ = true;
  if (dragging_) setCursor(Qt::ClosedHandCursor);
  update();
}

void LevelPathView::mouseReleaseEvent(QMouseEvent* e) {
  const auto from = std::exchange(pressed_, std::nullopt);
  const bool dragged = std::exchange(dragging_, false);
  unsetCursor();
  if (from && dragged) {
    double gap_x = 0;
    if (const auto to = gap_at(columns(), e->position().x(), &gap_x)) workspace_.move_step(*from, *to);
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
  const StepPlace place = c->place;
  const bool on = c->step->on;
  workspace_.select_step(place);
  QMenu menu(this);
  menu.addAction(on ? tr("Switch off") : tr("Switch on"), [&] { workspace_.switch_step(place, !on); });
  menu.addAction(tr("Remove"), [&] { workspace_.remove_step(place); });
  menu.addSeparator();
  if (place.owner != ChainOwner::clip) {
    const bool out = std::ranges::binary_search(c->step->sits_out, workspace_.clip_id());
    menu.addAction(out ? tr("This clip takes part in it again") : tr("This clip sits out of it"), [&] { workspace_.sit_out(place, !out); });
  }
  const auto to = [&](ChainOwner owner, const QString& label) {
    if (owner == place.owner) return;
    const auto end = static_cast<int>(chain_of(workspace_.reel(), *workspace_.clip(), owner).steps.size());
    // Downwards it becomes the first of what follows, upwards the last of what comes before.
    menu.addAction(label, [this, place, owner, end] { workspace_.move_step(place, {owner, owner > place.owner ? 0 : end}); });
  };
  to(ChainOwner::clip, tr("For this clip alone"));
  to(ChainOwner::group, tr("For the whole group"));
  to(ChainOwner::reel, tr("For the whole reel"));
  menu.exec(e->globalPos());
}

void LevelPathView::move_selected(int by) {
  const auto place = workspace_.selected();
  if (!place) return;
  StepPlace to = *place;
  to.index += by > 0 ? 2 : -1;
  const auto count = static_cast<int>(chain_of(workspace_.reel(), *workspace_.clip(), to.owner).steps.size());
  if (to.index >= 0 && to.index <= count) workspace_.move_step(*place, to);
}

void LevelPathView::keyPressEvent(QKeyEvent* e) {
  std::vector<StepPlace> places;
  for (const auto& c : columns())
    if (c.kind == Kind::step) places.push_back(c.place);
  const auto selected = workspace_.selected();
  const auto at = selected ? std::ranges::find(places, *selected) : places.end();
  const auto go = [&](int by) {
    if (places.empty()) return;
    const auto i = at == places.end() ? 0 : std::clamp(static_cast<int>(at - places.begin()) + by, 0, static_cast<int>(places.size()) - 1);
    workspace_.select_step(places[static_cast<size_t>(i)]);
  };
  const bool move = e->modifiers() & Qt::ControlModifier;
  switch (e->key()) {
    case Qt::Key_Left: move ? move_selected(-1) : go(-1); break;
    case Qt::Key_Right: move ? move_selected(1) : go(1); break;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      if (selected) workspace_.remove_step(*selected);
      break;
    case Qt::Key_O:
      if (selected && workspace_.step(*selected)) workspace_.switch_step(*selected, !workspace_.step(*selected)->on);
      break;
    case Qt::Key_Insert:
    case Qt::Key_Plus: {
      const ChainOwner owner = selected ? selected->owner : ChainOwner::clip;
      const QRectF r = add_rect(owner);
      ask_step(owner, selected ? selected->index + 1 : 0, mapToGlobal(r.center().toPoint()));
      break;
    }
    default: QWidget::keyPressEvent(e);
  }
}

bool LevelPathView::event(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QWidget::event(e);
  const auto* help = static_cast<QHelpEvent*>(e);
  const auto all = columns();
  const Column* c = at(all, help->pos().x());
  const auto* levels = workspace_.levels();
  if (!c) return true;
  QString tip;
  if (c->kind == Kind::add) {
    tip = c->place.owner == ChainOwner::clip    ? tr("Add a step for this clip")
          : c->place.owner == ChainOwner::group ? tr("Add a step for every clip of this group")
                                           : tr("Add a step for every clip of the reel");
  } else if (levels && c->stage < static_cast<int>(levels->stages.size())) {
    const Levels& l = levels->stages[static_cast<size_t>(c->stage)];
    tip = QString("<b>%1</b><br>%2").arg(c->step ? text(c->step->type->label) : tr("As recorded"),
                                          tr("Peak %1, loudness %2, noise floor %3")
                                              .arg(level_text(l.sample_peak_dbfs, "dBFS"),
                                                   level_text(l.loudness_lufs, "LUFS"),
                                                   level_text(l.noise_floor_dbfs, "dBFS")));
    if (c->step) tip += "<br>" + tr("Drag to move, the dot switches it on and off, Delete removes it.");
  }
  QToolTip::showText(help->globalPos(), tip, this);
  return true;
}

}  // namespace drevan::desktop
