// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/scene/space_list.h"

#include <QInputDialog>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWheelEvent>

#include "reel/scene/scene_edits.h"
#include "steps/catalogue.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

// --- the bar ---

SendBar::SendBar(const QString& name, double least_db, double most_db, double off_db,
                 QWidget* parent)
    : QWidget(parent), name_(name), least_db_(least_db), most_db_(most_db), off_db_(off_db) {
  setFixedHeight(20);
  setFocusPolicy(Qt::StrongFocus);
  setToolTip(tr("Drag, turn the wheel or use the arrow keys; double-click turns it off (dB)"));
}

void SendBar::show_level(double db) {
  db_ = db;
  setAccessibleName(db_ <= off_db_ ? tr("%1, off").arg(name_)
                                   : tr("%1, %2 dB").arg(name_).arg(db_, 0, 'f', 1));
  update();
}

QRectF SendBar::bar_rect() const {
  return {width() * 0.38, height() / 2.0 - 4, width() * 0.62 - 58, 8};
}

double SendBar::at(double x) const {
  const QRectF r = bar_rect();
  const double share = std::clamp((x - r.left()) / r.width(), 0.0, 1.0);
  return std::round(2 * (least_db_ + share * (most_db_ - least_db_))) / 2;
}

void SendBar::turn_to(double db) {
  db = std::clamp(db, least_db_, most_db_);
  if (db == db_) return;
  show_level(db);
  Q_EMIT turned(db);
}

void SendBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setFont(small_font());
  p.setPen(t.text);
  const QRectF r = bar_rect();
  p.drawText(QRectF(0, 0, r.left() - 8, height()), Qt::AlignVCenter,
             p.fontMetrics().elidedText(name_, Qt::ElideRight, static_cast<int>(r.left()) - 8));
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(r, 4, 4);
  const bool off = db_ <= off_db_;
  if (!off) {
    QRectF full = r;
    full.setWidth(std::max(4.0, r.width() * (db_ - least_db_) / (most_db_ - least_db_)));
    p.setBrush(hasFocus() ? t.attention : t.after);
    p.drawRoundedRect(full, 4, 4);
  }
  p.setPen(off ? t.quiet : t.text);
  p.drawText(QRectF(r.right() + 4, 0, 54, height()), Qt::AlignVCenter | Qt::AlignRight,
             off ? tr("off") : tr("%1 dB").arg(db_, 0, 'f', 1));
  if (hasFocus()) {
    p.setPen(QPen(t.attention, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(r.adjusted(-2, -2, 2, 2), 5, 5);
  }
}

void SendBar::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !bar_rect().adjusted(-6, -8, 6, 8).contains(e->position()))
    return;
  held_ = true;
  turn_to(at(e->position().x()));
}
void SendBar::mouseMoveEvent(QMouseEvent* e) {
  if (held_) turn_to(at(e->position().x()));
}
void SendBar::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
}
void SendBar::mouseDoubleClickEvent(QMouseEvent*) {
  held_ = false;
  turn_to(off_db_);
  Q_EMIT settled();
}
void SendBar::wheelEvent(QWheelEvent* e) {
  turn_to(db_ + (e->angleDelta().y() > 0 ? 1 : -1));
  e->accept();
}
void SendBar::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Left || e->key() == Qt::Key_Down) return turn_to(db_ - 1);
  if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Up) return turn_to(db_ + 1);
  QWidget::keyPressEvent(e);
}

// --- the list ---

/// What a space's panel is made from: it is made anew only when this changes.
struct SpaceShown {
  SpaceId id = 0;
  QString name, chain;
  std::vector<std::pair<GroupId, QString>> groups;
};

SpaceList::SpaceList(const Work& work, QWidget* parent) : QWidget(parent), work_(work) {
  setObjectName("spaces");
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(0, 0, 0, 0);
  box->setSpacing(6);
  auto* scroll = new QScrollArea(this);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_ = new QWidget(scroll);
  column_ = new QVBoxLayout(list_);
  column_->setContentsMargins(0, 0, 4, 0);
  column_->setSpacing(6);
  scroll->setWidget(list_);
  box->addWidget(scroll, 1);
  add_ = new QToolButton(this);
  add_->setObjectName("add_space");
  add_->setText(tr("Add a space"));
  add_->setToolTip(tr("A common room or echo that clips and groups feed"));
  add_->setPopupMode(QToolButton::InstantPopup);
  add_->setMenu(new QMenu(add_));
  connect(add_->menu(), &QMenu::aboutToShow, this, &SpaceList::fill_add_menu);
  box->addWidget(add_, 0, Qt::AlignLeft);
  connect(&work_.document, &Document::reel_changed, this, &SpaceList::refresh);
  // The next reel's spaces may have the same ids.
  connect(&work_.document, &Document::leaving, this, [this] {
    for (auto* bar : findChildren<SendBar*>()) bar->let_go();
  });
  refresh();
}

// Rooms and echoes that stand for themselves: all wet, as loud as they are.
void SpaceList::fill_add_menu() {
  QMenu* m = add_->menu();
  m->clear();
  const auto make = [this](const QString& name, Chain chain) {
    QString own = name;
    for (int n = 2;
         std::ranges::any_of(work_.document.reel().spaces,
                             [&](const Space& s) { return s.clip.name == own.toStdString(); });
         ++n)
      own = QString("%1 %2").arg(name).arg(n);
    work_.document.change(
        [&](const Reel& reel) { return edits::add_space(reel, own.toStdString(), chain); });
  };
  m->addAction(tr("Empty"), this, [make] { make(tr("Space"), {}); });
  for (const char* id : {"reverb", "acoustics", "delay"}) {
    const StepType& type = *find_step(id);
    QMenu* of = m->addMenu(text(type.label));
    std::string_view kind;
    for (const auto& start : type.starting_points) {
      if (!start.kind.empty() && start.kind != kind) of->addSection(text(kind = start.kind));
      of->addAction(text(start.name), this, [make, &type, &start] {
        ChainStep step = make_step(type.id);
        step.settings = settings_of(type, start);
        for (const auto& [key, value] : {std::pair{"mix_pct", 100.0}, {"level", 1.0}})
          if (const int at = parameter_index(type, key); at >= 0)
            step.settings.values[static_cast<size_t>(at)] = value;
        make(text(start.name), {{step}});
      });
    }
  }
}

SendBar* SpaceList::bar(SpaceId space, GroupId group) const {
  for (auto* b : findChildren<SendBar*>())
    if (b->space == space && b->group == group) return b;
  return nullptr;
}

QWidget* SpaceList::make_space(const SpaceShown& shown) {
  auto* panel = new QWidget(list_);
  panel->setObjectName("panel");
  auto* box = new QVBoxLayout(panel);
  box->setContentsMargins(10, 6, 10, 8);
  box->setSpacing(2);
  auto* top = new QHBoxLayout;
  auto* name = new QToolButton(panel);
  name->setObjectName("space_name");
  name->setText(shown.name);
  name->setFont(bold_font());
  name->setAutoRaise(true);
  name->setToolTip(tr("Show what leaves it as a row; its settings can be drawn over that"));
  connect(name, &QToolButton::clicked, this, [this, id = shown.id] { Q_EMIT chosen(clip_of(id)); });
  auto* chain = new QLabel(shown.chain, panel);
  chain->setObjectName("quiet");
  chain->setFont(small_font());
  chain->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  auto* more = new QToolButton(panel);
  more->setText("...");
  more->setAutoRaise(true);
  more->setPopupMode(QToolButton::InstantPopup);
  more->setAccessibleName(tr("More of %1").arg(shown.name));
  auto* menu = new QMenu(more);
  QMenu* feed = menu->addMenu(tr("Feed it from"));
  connect(feed, &QMenu::aboutToShow, this, [this, feed, id = shown.id] {
    feed->clear();
    for (const Group& group : work_.document.reel().groups)
      if (std::ranges::find(group.sends, id, &Send::space) == group.sends.end())
        feed->addAction(QString::fromStdString(group.name), this, [this, id, g = group.id] {
          work_.document.change(
              [&](const Reel& reel) { return edits::set_send(reel, g, id, -12); });
        });
    feed->setEnabled(!feed->isEmpty());
  });
  menu->addAction(tr("Open its chain on the Bench"), this,
                  [this, id = shown.id] { Q_EMIT bench_wanted(clip_of(id)); });
  menu->addAction(tr("Rename ..."), this, [this, id = shown.id, old = shown.name] {
    bool ok = false;
    const auto to = QInputDialog::getText(this, tr("Rename the space"), tr("Name"),
                                          QLineEdit::Normal, old, &ok);
    if (ok)
      work_.document.change(
          [&](const Reel& reel) { return edits::rename_space(reel, id, to.toStdString()); });
  });
  menu->addAction(tr("Take it out"), this, [this, id = shown.id] {
    work_.document.change([&](const Reel& reel) { return edits::remove_space(reel, id); });
  });
  more->setMenu(menu);
  top->addWidget(name);
  top->addWidget(chain, 1);
  top->addWidget(more);
  box->addLayout(top);
  const auto add = [&](const QString& label, GroupId group, double least, double most, double off) {
    auto* b = new SendBar(label, least, most, off, panel);
    b->space = shown.id;
    b->group = group;
    connect(b, &SendBar::turned, this, [this, b](double db) {
      work_.document.change([&](const Reel& reel) {
        return b->group ? edits::set_send(reel, b->group, b->space, db)
                        : edits::set_space_level(reel, b->space, db);
      });
    });
    connect(b, &SendBar::settled, this, [this] { work_.document.end_merge(); });
    box->addWidget(b);
  };
  for (const auto& [group, label] : shown.groups)
    add(label, group, off_send_db, most_send_db, off_send_db);
  add(tr("in the mix"), 0, least_space_db, most_space_db, least_space_db);
  return panel;
}

void SpaceList::refresh() {
  const Reel& reel = work_.document.reel();
  QStringList wanted;
  std::vector<SpaceShown> all;
  for (const Space& space : reel.spaces) {
    SpaceShown shown{space.id(), QString::fromStdString(space.clip.name), {}, {}};
    QStringList steps;
    for (const auto& s : space.clip.chain.steps)
      if (s.on) steps << text(s.type->label);
    shown.chain = steps.isEmpty() ? tr("no steps") : steps.join(", ");
    // Who feeds it; one that was turned off stays until something else is shown.
    for (const Group& group : reel.groups) {
      const bool fed = std::ranges::find(group.sends, shown.id, &Send::space) != group.sends.end();
      const SendBar* there = bar(shown.id, group.id);
      if (fed || (there && (there->held() || there->hasFocus())))
        shown.groups.emplace_back(group.id, QString::fromStdString(group.name));
    }
    int clips = 0;
    for (const Clip& c : reel.clips)
      clips += std::ranges::any_of(
          c.sends, [&](const Send& s) { return s.space == shown.id && s.level_db > off_send_db; });
    if (clips > 0) shown.chain += tr(", %1 of its own").arg(counted(clips, tr("clip")));
    wanted << QString::number(shown.id.number()) << shown.name << shown.chain;
    // By id too: a group of the same name may be another, as in a state that is gone back to.
    for (const auto& [group, label] : shown.groups)
      wanted << QString::number(group.number()) << label;
    all.push_back(std::move(shown));
  }
  // A bar that is held must not be made anew under the hand.
  if (const QString key = wanted.join('\n'); list_->property("shown").toString() != key) {
    list_->setProperty("shown", key);
    while (QLayoutItem* item = column_->takeAt(0)) {
      delete item->widget();
      delete item;
    }
    for (const auto& shown : all) column_->addWidget(make_space(shown));
    if (all.empty()) {
      auto* told =
          new QLabel(tr("No spaces yet. A space is a common room or echo: groups and clips "
                        "feed it, and one chain serves them all."),
                     list_);
      told->setObjectName("quiet");
      told->setWordWrap(true);
      column_->addWidget(told);
    }
    column_->addStretch(1);
  }
  for (auto* b : list_->findChildren<SendBar*>()) {
    const Space* space = find_space(reel, b->space);
    if (!space || b->held()) continue;
    if (!b->group) {
      b->show_level(space->level_db);
      continue;
    }
    const auto& sends = reel.at(b->group).sends;
    const auto send = std::ranges::find(sends, b->space, &Send::space);
    b->show_level(send == sends.end() ? off_send_db : send->level_db);
  }
}

}  // namespace drevan::desktop
