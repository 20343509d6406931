// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/import_sheet.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {

QString state_text(Incoming::State state) {
  switch (state) {
    case Incoming::State::fresh:
      return QObject::tr("new");
    case Incoming::State::same:
      return QObject::tr("the same");
    case Incoming::State::differs:
      return QObject::tr("differs");
    case Incoming::State::unreadable:
      break;
  }
  return QObject::tr("cannot be read");
}

}  // namespace

ImportSheet::ImportSheet(std::vector<Incoming> incoming, QWidget* parent)
    : QDialog(parent), incoming_(std::move(incoming)) {
  setWindowTitle(tr("Import recipes"));
  setObjectName("import_sheet");
  resize(720, 420);
  list_ = new QTreeWidget(this);
  list_->setAccessibleName(tr("Recipes that come in"));
  list_->setHeaderLabels({tr("Recipe"), tr("Is"), tr("What to do"), tr("From")});
  list_->setColumnWidth(0, 240);
  list_->setColumnWidth(1, 100);
  list_->setColumnWidth(2, 150);
  const Theme& t = theme();
  for (const auto& in : incoming_) {
    const bool bad = in.state == Incoming::State::unreadable;
    auto* item = new QTreeWidgetItem(
        list_, {QString::fromStdString(bad ? std::filesystem::path(in.from).filename().string()
                                           : in.recipe.name),
                state_text(in.state),
                {},
                QString::fromStdString(in.from)});
    item->setToolTip(3, item->text(3));
    item->setForeground(1, bad                                    ? t.over
                           : in.state == Incoming::State::differs ? t.attention
                           : in.state == Incoming::State::fresh   ? t.after
                                                                  : t.quiet);
    for (const auto& d : in.differences)
      if (in.state == Incoming::State::differs) {
        auto* line = new QTreeWidgetItem(item, {QString::fromStdString(d)});
        line->setFirstColumnSpanned(true);
        line->setForeground(0, t.quiet);
      }
    if (bad) {
      auto* line = new QTreeWidgetItem(item, {QString::fromStdString(in.problem)});
      line->setFirstColumnSpanned(true);
      line->setForeground(0, t.over);
      line->setToolTip(0, line->text(0));
    }
    QComboBox* box = nullptr;
    if (in.state == Incoming::State::fresh || in.state == Incoming::State::differs) {
      box = new QComboBox(list_);
      box->setAccessibleName(tr("What to do with %1").arg(item->text(0)));
      if (in.state == Incoming::State::fresh) {
        box->addItem(tr("take in"), static_cast<int>(Decision::replace));
      } else {
        box->addItem(tr("keep both"), static_cast<int>(Decision::keep_both));
        box->addItem(tr("replace"), static_cast<int>(Decision::replace));
      }
      box->addItem(tr("leave out"), static_cast<int>(Decision::skip));
      item->setSizeHint(2, {0, 30});
      list_->setItemWidget(item, 2, box);
      connect(box, &QComboBox::currentIndexChanged, this, &ImportSheet::count);
    }
    boxes_.push_back(box);
  }
  list_->expandAll();

  auto* row = new QHBoxLayout;
  auto* all = new QLabel(tr("All that differ:"), this);
  all->setObjectName("quiet");
  row->addWidget(all);
  const std::pair<QString, Decision> ways[] = {{tr("Keep both"), Decision::keep_both},
                                               {tr("Replace"), Decision::replace},
                                               {tr("Leave out"), Decision::skip}};
  for (const auto& [label, decision] : ways) {
    auto* b = new QPushButton(label, this);
    connect(b, &QPushButton::clicked, this, [this, d = decision] { decide_all(d); });
    row->addWidget(b);
  }
  row->addStretch();
  auto* cancel = new QPushButton(tr("Cancel"), this);
  take_ = new QPushButton(this);
  take_->setObjectName("primary");
  take_->setDefault(true);
  row->addWidget(cancel);
  row->addWidget(take_);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(take_, &QPushButton::clicked, this, &QDialog::accept);
  auto* box = new QVBoxLayout(this);
  box->addWidget(list_, 1);
  box->addLayout(row);
  count();
}

void ImportSheet::decide_all(Decision decision) {
  for (size_t i = 0; i < boxes_.size(); ++i)
    if (boxes_[i] && incoming_[i].state == Incoming::State::differs)
      boxes_[i]->setCurrentIndex(boxes_[i]->findData(static_cast<int>(decision)));
}

std::vector<std::pair<Incoming, Decision>> ImportSheet::decisions() const {
  std::vector<std::pair<Incoming, Decision>> out;
  for (size_t i = 0; i < boxes_.size(); ++i)
    out.emplace_back(incoming_[i], boxes_[i]
                                       ? static_cast<Decision>(boxes_[i]->currentData().toInt())
                                       : Decision::skip);
  return out;
}

void ImportSheet::count() {
  int taken = 0;
  for (const auto& [in, decision] : decisions()) taken += decision == Decision::skip ? 0 : 1;
  take_->setText(taken == 0 ? tr("Nothing to take in")
                            : tr("Take in %1").arg(counted(taken, tr("recipe"))));
  take_->setEnabled(taken > 0);
}

}  // namespace drevan::desktop
