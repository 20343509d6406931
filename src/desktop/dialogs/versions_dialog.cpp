// SPDX-License-Identifier: GPL-3.0-or-later
#include "dialogs/versions_dialog.h"

#include <QDateTime>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>

#include "audio/time_text.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/printing.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {

constexpr int version_role = Qt::UserRole;

QString chain_text(const Chain& chain) {
  QStringList names;
  for (const auto& s : chain.steps) names << text(s.type->label);
  return names.join(", ");
}

}  // namespace

VersionsDialog::VersionsDialog(const Work& work, QWidget* parent)
    : ReelSheet(work.document, parent), work_(work) {
  setProperty("chapter", tr("Versions: freeze what is good"));
  setWindowTitle(tr("Versions"));
  setObjectName("versions");
  resize(750, 340);
  clip_ = new QLabel(this);
  clip_->setObjectName("heading");
  tree_ = new QTreeWidget(this);
  tree_->setAccessibleName(tr("Versions of the clip"));
  tree_->setToolTip(tr("As it came, and every print, under what it was printed from"));
  tree_->setHeaderLabels({tr("Version"), tr("What was done"), tr("Chain in it"), tr("When"),
                          tr("Length"), tr("Loudness")});
  tree_->setRootIsDecorated(true);
  const int widths[] = {170, 160, 130, 100, 64};
  for (int i = 0; i < 5; ++i) tree_->setColumnWidth(i, widths[i]);
  go_ = new QPushButton(tr("Go to it"), this);
  go_->setToolTip(tr(
      "The clip's sound becomes this version, with the chain that stood upon it (double click)"));
  chain_ = new QPushButton(tr("Take its chain out"), this);
  chain_->setToolTip(
      tr("Goes back to what it was printed from, with the chain that was printed, to change it"));
  against_ = new QPushButton(tr("Hear against"), this);
  against_->setCheckable(true);
  against_->setToolTip(
      tr("Before becomes this version; after is the clip as it is now. Level matched like every "
         "comparison."));
  clear_ = new QPushButton(this);
  clear_->setAccessibleName(tr("Clear unused versions"));
  clear_->setToolTip(
      tr("Takes out the versions that the clips do not stand upon. Undo brings them back until the "
         "reel is closed."));
  auto* fade = new QDoubleSpinBox(this);
  fade->setRange(0, 2000);
  fade->setDecimals(0);
  fade->setButtonSymbols(QAbstractSpinBox::NoButtons);
  fade->setSuffix(tr(" ms"));
  fade->setValue(work_.printing.fade_s() * 1000);
  fade->setAccessibleName(tr("Crossfade"));
  fade->setToolTip(tr("Length of the crossfade at either end of a printed selection"));
  connect(fade, &QDoubleSpinBox::valueChanged, this,
          [this](double ms) { work_.printing.set_fade_s(ms / 1000); });
  auto* fade_label = new QLabel(tr("Crossfade"), this);
  fade_label->setObjectName("quiet");

  auto* head = new QHBoxLayout;
  head->addWidget(clip_);
  head->addStretch();
  head->addWidget(fade_label);
  head->addWidget(fade);
  auto* row = new QHBoxLayout;
  for (auto* b : {go_, chain_, against_}) row->addWidget(b);
  row->addStretch();
  row->addWidget(clear_);
  auto* box = new QVBoxLayout(this);
  box->addLayout(head);
  box->addWidget(tree_, 1);
  box->addLayout(row);

  connect(tree_, &QTreeWidget::itemSelectionChanged, this, &VersionsDialog::show_buttons);
  connect(tree_, &QTreeWidget::itemDoubleClicked, this, [this] {
    work_.document.change([&](const Reel& reel) {
      return edits::go_to_version(reel, work_.selection.clip_id(), marked());
    });
  });
  connect(go_, &QPushButton::clicked, this, [this] {
    work_.document.change([&](const Reel& reel) {
      return edits::go_to_version(reel, work_.selection.clip_id(), marked());
    });
  });
  connect(chain_, &QPushButton::clicked, this, [this] {
    work_.document.change([&](const Reel& reel) {
      return edits::take_out_chain(reel, work_.selection.clip_id(), marked());
    });
  });
  connect(against_, &QPushButton::clicked, this, [this](bool on) {
    work_.listening.hear_against(on ? std::optional(marked()) : std::nullopt);
  });
  connect(clear_, &QPushButton::clicked, this, [this] { work_.document.clear_unused_versions(); });
  connect(&work_.document, &Document::reel_changed, this, &VersionsDialog::refresh);
  connect(&work_.selection, &Selection::clip_changed, this, &VersionsDialog::refresh);
  connect(&work_.listening, &Listening::plan_changed, this, &VersionsDialog::show_buttons);
}

void VersionsDialog::showEvent(QShowEvent* e) {
  QDialog::showEvent(e);
  refresh();
}

int VersionsDialog::marked() const {
  const auto items = tree_->selectedItems();
  return items.isEmpty() ? -1 : items.front()->data(0, version_role).toInt();
}

void VersionsDialog::mark(int version) {
  for (QTreeWidgetItemIterator it(tree_); *it; ++it)
    if ((*it)->data(0, version_role).toInt() == version) tree_->setCurrentItem(*it);
}

void VersionsDialog::refresh() {
  if (!isVisible()) return;
  const int before = marked();
  {
    const QSignalBlocker quiet(tree_);
    tree_->clear();
    const Clip* clip = work_.selection.clip();
    clip_->setText(clip ? QString::fromStdString(clip->name) : QString());
    std::map<int, QTreeWidgetItem*> items;
    const auto add = [&](const Version& v) {
      const auto at = items.find(v.parent);
      auto* item = at == items.end() ? new QTreeWidgetItem(tree_) : new QTreeWidgetItem(at->second);
      items[v.id] = item;
      const bool now = v.id == clip->version;
      item->setData(0, version_role, v.id);
      item->setText(0, now ? tr("%1, heard now").arg(v.id) : QString::number(v.id));
      item->setText(1, QString::fromStdString(v.what));
      item->setText(2, chain_text(v.made_with));
      item->setToolTip(2, chain_text(v.made_with));
      if (v.when != 0)
        item->setText(3, QLocale().toString(QDateTime::fromSecsSinceEpoch(v.when), "d MMM, HH:mm"));
      const auto& source = work_.document.reel().at(v.source);
      item->setText(
          4, QString::fromStdString(length_text(static_cast<double>(v.frames) / source.rate)));
      item->setText(5, v.loudness_lufs ? tr("%1 LUFS").arg(*v.loudness_lufs, 0, 'f', 1)
                       : v.id == 0     ? QString()
                                       : tr("none"));
      if (now)
        for (int c = 0; c < 6; ++c) item->setForeground(c, theme().attention);
    };
    if (clip && clip->versions.empty())
      add({.id = 0,
           .what = "as it came",
           .source = clip->source,
           .begin = clip->begin,
           .frames = clip->frames});
    else if (clip)
      for (const auto& v : clip->versions) add(v);
    tree_->expandAll();
  }
  mark(before >= 0 ? before : work_.selection.clip() ? work_.selection.clip()->version : 0);
  show_buttons();
}

// Asks the disk for sizes.
void VersionsDialog::show_buttons() {
  if (!isVisible()) return;
  const Clip* clip = work_.selection.clip();
  const Version* v = clip ? find_version(*clip, marked()) : nullptr;
  const bool other = v && v->id != clip->version;
  go_->setEnabled(other);
  chain_->setEnabled(v && v->parent >= 0);
  against_->setEnabled(other || work_.listening.against());
  const QSignalBlocker quiet(against_);
  against_->setChecked(work_.listening.against() && work_.listening.against() == marked());
  std::uintmax_t bytes = 0;
  const auto unused = unused_versions(work_.document.reel());
  for (const auto& u : unused) bytes += u.bytes;
  clear_->setEnabled(!unused.empty());
  clear_->setText(unused.empty() ? tr("No unused versions")
                                 : tr("Clear %1, %2 MB")
                                       .arg(counted(std::ssize(unused), tr("unused version")))
                                       .arg(static_cast<double>(bytes) / 1e6, 0, 'f', 1));
}

}  // namespace drevan::desktop
