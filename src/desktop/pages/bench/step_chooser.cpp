// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/step_chooser.h"

#include <QGuiApplication>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QScreen>
#include <QSettings>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include "audio/utf8.h"
#include "steps/catalogue.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr int id_role = Qt::UserRole, summary_role = Qt::UserRole + 1;
constexpr int most_recent_steps = 4, chooser_rest_ms = 250;
constexpr int step_label_width = 150;

// A step's name, and in quiet what it does; families as headings.
class EntryDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  void paint(QPainter* p, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override {
    const Theme& t = theme();
    const bool heading = index.data(id_role).toString().isEmpty();
    const QRect r = option.rect;
    if (option.state & QStyle::State_Selected) p->fillRect(r, t.raised);
    p->setFont(heading ? small_font() : option.font);
    p->setPen(heading ? t.attention : t.text);
    const QString label = index.data(Qt::DisplayRole).toString();
    if (heading)
      return p->drawText(r.adjusted(10, 6, -8, 0), Qt::AlignLeft | Qt::AlignVCenter, label);
    p->drawText(r.adjusted(18, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, label);
    p->setPen(t.quiet);
    const QRect rest = r.adjusted(18 + step_label_width, 0, -8, 0);
    p->drawText(rest, Qt::AlignLeft | Qt::AlignVCenter,
                p->fontMetrics().elidedText(index.data(summary_role).toString(), Qt::ElideRight,
                                            rest.width()));
  }
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override {
    return {200, index.data(id_role).toString().isEmpty() ? 26 : 24};
  }
};

QStringList recent_steps() { return QSettings().value("steps/recent").toStringList(); }

}  // namespace

StepChooser::StepChooser(const Work& work, StepPlace at, QWidget* parent)
    : QFrame(parent, Qt::Popup), work_(work), at_(at) {
  setObjectName("step_chooser");
  setAttribute(Qt::WA_DeleteOnClose);
  setFrameShape(QFrame::StyledPanel);
  resize(480, 460);
  search_ = new QLineEdit(this);
  search_->setObjectName("step_search");
  search_->setAccessibleName(tr("Search steps"));
  search_->setPlaceholderText(tr("Search: a name, or what it does"));
  list_ = new QListWidget(this);
  list_->setObjectName("step_list");
  list_->setAccessibleName(tr("Steps"));
  list_->setItemDelegate(new EntryDelegate(list_));
  list_->setFocusPolicy(Qt::NoFocus);
  list_->setMouseTracking(true);
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_->setToolTip(
      tr("Rest on a step to hear it and see it in the level path; a click or Return "
         "adds it"));
  auto* box = new QVBoxLayout(this);
  box->setContentsMargins(8, 8, 8, 8);
  box->addWidget(search_);
  box->addWidget(list_, 1);
  rest_.setSingleShot(true);
  rest_.setInterval(chooser_rest_ms);
  connect(&rest_, &QTimer::timeout, this, &StepChooser::preview);
  connect(search_, &QLineEdit::textChanged, this, &StepChooser::fill);
  connect(list_, &QListWidget::currentItemChanged, this, [this] { rest_.start(); });
  connect(list_, &QListWidget::itemEntered, list_,
          [this](QListWidgetItem* item) { list_->setCurrentItem(item); });
  connect(list_, &QListWidget::itemClicked, this, &StepChooser::take);
  search_->installEventFilter(this);
  fill();
}

void StepChooser::open_at(const QPoint& global) {
  const QRect screen = QGuiApplication::screenAt(global)
                           ? QGuiApplication::screenAt(global)->availableGeometry()
                           : QGuiApplication::primaryScreen()->availableGeometry();
  move(std::clamp(global.x() - width() / 2, screen.left(),
                  std::max(screen.left(), screen.right() - width())),
       std::clamp(global.y() - height() / 3, screen.top(),
                  std::max(screen.top(), screen.bottom() - height())));
  show();
  search_->setFocus();
}

void StepChooser::add_heading(const QString& label) {
  auto* item = new QListWidgetItem(label, list_);
  item->setFlags(Qt::NoItemFlags);
}

void StepChooser::add_entry(const StepType& type) {
  auto* item = new QListWidgetItem(text(type.label), list_);
  item->setData(id_role, text(type.id));
  item->setData(summary_role, text(type.summary));
}

// Every word that is searched for stands in the name, the family or what the step does.
void StepChooser::fill() {
  list_->clear();
  const auto words =
      QString::fromStdString(folded(search_->text().toStdString())).split(' ', Qt::SkipEmptyParts);
  const auto fits = [&](const StepType& type) {
    const auto hay =
        QString::fromStdString(folded(std::string(type.label) + " " + std::string(type.summary) +
                                      " " + std::string(family_label(type.family))));
    return std::ranges::all_of(words, [&](const QString& word) { return hay.contains(word); });
  };
  if (words.isEmpty()) {
    std::vector<const StepType*> recent;
    for (const auto& id : recent_steps())
      if (const StepType* type = find_step(id.toStdString())) recent.push_back(type);
    if (!recent.empty()) add_heading(tr("used last"));
    for (const auto* type : recent) add_entry(*type);
  }
  std::optional<Family> family;
  for (const StepType* type : catalogue()) {
    if (!fits(*type)) continue;
    if (family != type->family) add_heading(text(family_label(type->family)));
    family = type->family;
    add_entry(*type);
  }
  if (list_->count() == 0) add_heading(tr("No step does that"));
  // What is typed for is at hand; without a word nothing is tried by itself.
  if (!words.isEmpty()) go_by(1);
}

QListWidgetItem* StepChooser::entry(std::string_view id) const {
  for (int i = list_->count() - 1; i >= 0; --i)
    if (list_->item(i)->data(id_role).toString() == text(id)) return list_->item(i);
  return nullptr;
}

const StepType* StepChooser::current() const {
  const auto* item = list_->currentItem();
  return item ? find_step(item->data(id_role).toString().toStdString()) : nullptr;
}

// To the next entry that is a step.
void StepChooser::go_by(int steps) {
  for (int row = list_->currentRow() + steps; row >= 0 && row < list_->count(); row += steps)
    if (!list_->item(row)->data(id_role).toString().isEmpty()) return list_->setCurrentRow(row);
}

void StepChooser::preview() {
  const StepType* type = current();
  if (!type || !isVisible() || taken_) return;
  work_.document.preview([&](const Reel& reel) {
    return edits::add_step(reel, work_.selection.clip_id(), at_, *type);
  });
}

void StepChooser::take() {
  const StepType* type = current();
  if (!type || taken_) return;
  taken_ = true;
  QStringList recent = recent_steps();
  recent.removeAll(text(type->id));
  recent.prepend(text(type->id));
  QSettings().setValue("steps/recent", QStringList(recent.mid(0, most_recent_steps)));
  work_.document.change([&](const Reel& reel) {
    return edits::add_step(reel, work_.selection.clip_id(), at_, *type);
  });
  close();
}

void StepChooser::hideEvent(QHideEvent*) {
  rest_.stop();
  if (!taken_) work_.document.end_preview();
}

// The field keeps the keys; the list is gone through with the arrows.
bool StepChooser::eventFilter(QObject* of, QEvent* e) {
  if (of != search_ || e->type() != QEvent::KeyPress) return QFrame::eventFilter(of, e);
  switch (static_cast<QKeyEvent*>(e)->key()) {
    case Qt::Key_Down:
      go_by(1);
      return true;
    case Qt::Key_Up:
      go_by(-1);
      return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      take();
      return true;
    default:
      return QFrame::eventFilter(of, e);
  }
}

}  // namespace drevan::desktop
