// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/history_dialog.h"

#include <QListWidget>
#include <QVBoxLayout>

#include "theme/theme.h"
#include "work/document.h"

namespace drevan::desktop {

HistoryDialog::HistoryDialog(const Work& work, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work) {
  setWindowTitle(tr("Edits"));
  resize(300, 420);
  auto* box = new QVBoxLayout(this);
  list_ = new QListWidget(this);
  list_->setAccessibleName(tr("Edits, the oldest first"));
  list_->setToolTip(tr("Click an edit to go to the reel as it was after it"));
  box->addWidget(list_);
  connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
    if (row >= 0) work_.document.go_to(row);
  });
  connect(&work_.document, &Document::reel_changed, this, &HistoryDialog::refresh);
  refresh();
}

void HistoryDialog::refresh() {
  const QSignalBlocker quiet(list_);
  const auto labels = work_.document.history().labels();
  const auto at = static_cast<int>(work_.document.history().at());
  list_->clear();
  for (size_t i = 0; i < labels.size(); ++i) {
    auto* item = new QListWidgetItem(
        labels[i].empty() ? tr("As it was opened") : QString::fromStdString(labels[i]), list_);
    if (static_cast<int>(i) > at) item->setForeground(theme().quiet);  // undone
  }
  list_->setCurrentRow(at);
}

}  // namespace drevan::desktop
