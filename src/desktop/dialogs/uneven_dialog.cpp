// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/uneven_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <atomic>

#include "audio/error.h"
#include "audio/parallel.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

UnevenDialog::UnevenDialog(const Work& work, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work) {
  connect(&lane_, &TaskLane::failed, this, [this](const Problem& why) { work_.notices.warn(why); });
  setWindowTitle(tr("Where do my clips differ?"));
  setObjectName("uneven");
  resize(560, 360);
  told_ = new QLabel(this);
  told_->setObjectName("quiet");
  progress_ = new QProgressBar(this);
  progress_->setTextVisible(false);
  progress_->setRange(0, 1000);
  list_ = new QTreeWidget(this);
  list_->setAccessibleName(tr("Clips that differ from their group"));
  list_->setHeaderLabels({tr("Clip"), tr("Group"), tr("Differs")});
  list_->setRootIsDecorated(false);
  list_->setColumnWidth(0, 150);
  list_->setColumnWidth(1, 100);
  list_->setToolTip(tr("A click shows the clip on the Bench"));
  again_ = new QPushButton(tr("Listen again"), this);
  in_line_ = new QPushButton(tr("Bring back in line"), this);
  in_line_->setToolTip(tr("The chosen clips that sit out take part in everything again"));
  in_line_->setEnabled(false);
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  auto* row = new QHBoxLayout;
  row->addWidget(in_line_);
  row->addStretch();
  row->addWidget(again_);
  auto* box = new QVBoxLayout(this);
  box->addWidget(told_);
  box->addWidget(progress_);
  box->addWidget(list_, 1);
  box->addLayout(row);
  connect(again_, &QPushButton::clicked, this, &UnevenDialog::listen);
  const auto chosen = [this](bool sits_out) {
    std::vector<ClipId> ids;
    for (const auto* item : list_->selectedItems()) {
      const Clip* c =
          work_.document.reel().find(ClipId::numbered(item->data(0, Qt::UserRole).toInt()));
      if (c && (!sits_out || !sits_out_of(work_.document.reel(), *c).empty())) ids.push_back(c->id);
    }
    return ids;
  };
  connect(list_, &QTreeWidget::itemSelectionChanged, this, [this, chosen] {
    if (const auto ids = chosen(false); ids.size() == 1) work_.selection.select_clip(ids.front());
    in_line_->setEnabled(!chosen(true).empty());
  });
  connect(in_line_, &QPushButton::clicked, this, [this, chosen] {
    work_.document.change([&](const Reel& reel) { return edits::take_part(reel, chosen(true)); });
    listen();
  });
}

int UnevenDialog::rows() const { return list_->topLevelItemCount(); }

void UnevenDialog::listen() {
  told_->setText(tr("Listening to every clip ..."));
  progress_->setValue(0);
  progress_->show();
  auto reel = work_.document.history().shared();
  lane_.start([this, reel](const CancelToken& cancel) -> TaskLane::Finish {
    std::vector<std::optional<ClipTraits>> heard(reel->clips.size());
    std::atomic<size_t> done{0};
    on_all_cores(heard.size(), cancel, [&](size_t i) {
      try {
        heard[i] = measure_traits(*reel, reel->clips[i], work_.measurements.findings(), cancel);
      } catch (const Error&) {
        // A clip that cannot be read says so on the shelf.
      }
      const int share = static_cast<int>(1000 * ++done / heard.size());
      lane_.post(cancel,
                 [this, share] { progress_->setValue(std::max(share, progress_->value())); });
    });
    std::vector<ClipTraits> traits;
    for (auto& h : heard)
      if (h) traits.push_back(std::move(*h));
    const auto found = uneven_clips(*reel, traits);
    return [this, found] { show_found(found); };
  });
}

void UnevenDialog::show_found(const std::vector<Uneven>& found) {
  progress_->hide();
  list_->clear();
  for (const auto& f : found) {
    const Clip* c = work_.document.reel().find(f.clip);
    if (!c) continue;
    auto* item =
        new QTreeWidgetItem(list_, {QString::fromStdString(c->name),
                                    QString::fromStdString(work_.document.reel().group_of(*c).name),
                                    QString::fromStdString(f.told)});
    item->setData(0, Qt::UserRole, c->id.number());
    item->setToolTip(2, item->text(2));
  }
  told_->setText(found.empty() ? tr("No clip stands out of its group.")
                               : tr("%1 in level, noise floor, tone or chain")
                                     .arg(counted(std::ssize(found), tr("difference"))));
}

}  // namespace drevan::desktop
