// SPDX-License-Identifier: GPL-3.0-or-later
// What the window opens, saves and asks files for.
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QLabel>
#include <QListWidget>
#include <QMessageBox>
#include <QVBoxLayout>

#include "main_window.h"
#include "media/sound_files.h"
#include "widgets/last_folder.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/recent_reels.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
QString sound_filter() {
  QStringList patterns;
  for (const auto& ending : sound_endings()) patterns << "*" + QString::fromStdString(ending);
  return MainWindow::tr("Sound and video (%1);;All files (*)").arg(patterns.join(' '));
}
}  // namespace

bool MainWindow::save() {
  return work_.document.file().empty() ? save_as() : work_.document.save(work_.document.file());
}

bool MainWindow::save_as() {
  const auto start =
      work_.document.file().empty()
          ? last_folder() + "/" + QString::fromStdString(work_.document.reel().name) + ".reel"
          : QString::fromStdString(work_.document.file().string());
  auto file = remember_folder(
      QFileDialog::getSaveFileName(this, tr("Save the reel"), start, tr("Reels (*.reel)")));
  if (file.isEmpty()) return false;
  if (!file.endsWith(".reel")) file += ".reel";
  return work_.document.save(file.toStdString());
}

bool MainWindow::may_leave() {
  if (!work_.document.history().changed() ||
      (work_.document.file().empty() && work_.document.reel().clips.empty()))
    return true;
  const auto answer = QMessageBox::question(
      this, tr("Save the reel?"),
      tr("\"%1\" has changes that are not saved.")
          .arg(QString::fromStdString(work_.document.reel().name)),
      QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
  if (answer == QMessageBox::Save) return save();
  return answer == QMessageBox::Discard;
}

void MainWindow::open_dialog() {
  const auto file = remember_folder(
      QFileDialog::getOpenFileName(this, tr("Open a reel"), last_folder(), tr("Reels (*.reel)")));
  if (!file.isEmpty()) open_files({file});
}

void MainWindow::add_dialog(const QString& group) {
  const auto files = QFileDialog::getOpenFileNames(this, tr("Add sound or video files"),
                                                   last_folder(), sound_filter());
  if (files.isEmpty()) return;
  remember_folder(files.first());
  work_.jobs.add_files(files, group);
}

void MainWindow::add_folder_dialog() {
  const auto folder = QFileDialog::getExistingDirectory(
      this, tr("Add all sounds of a folder; its folders become groups"), last_folder());
  if (folder.isEmpty()) return;
  QSettings().setValue("folder", folder);
  work_.jobs.add_files({folder});
}

void MainWindow::copy_chain_dialog() {
  const Clip* from = work_.selection.clip();
  if (!from) return;
  QDialog dialog(this);
  dialog.setWindowTitle(tr("Copy the chain"));
  dialog.resize(360, 460);
  auto* box = new QVBoxLayout(&dialog);
  box->addWidget(new QLabel(
      tr("The chain of %1 goes to the ticked clips; their own is replaced (undo brings it back).")
          .arg(QString::fromStdString(from->name)),
      &dialog));
  static_cast<QLabel*>(box->itemAt(0)->widget())->setWordWrap(true);
  auto* list = new QListWidget(&dialog);
  const auto marked = marked_clips();
  for (const auto& c : work_.document.reel().clips) {
    if (c.id == from->id) continue;
    auto* item = new QListWidgetItem(QString::fromStdString(c.name), list);
    item->setData(Qt::UserRole, c.id.number());
    // The marked clips, or those of the same group, are what people mean.
    const bool meant = marked.size() > 1 ? std::ranges::find(marked, c.id) != marked.end()
                                         : c.group == from->group;
    item->setCheckState(meant ? Qt::Checked : Qt::Unchecked);
  }
  box->addWidget(list);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, &dialog);
  buttons->addButton(tr("Copy"), QDialogButtonBox::AcceptRole);
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  box->addWidget(buttons);
  if (dialog.exec() != QDialog::Accepted) return;
  std::vector<ClipId> to;
  for (int i = 0; i < list->count(); ++i)
    if (list->item(i)->checkState() == Qt::Checked)
      to.push_back(ClipId::numbered(list->item(i)->data(Qt::UserRole).toInt()));
  if (!to.empty())
    work_.document.change(
        [&](const Reel& reel) { return edits::copy_chain(reel, work_.selection.clip_id(), to); });
}

void MainWindow::find_source_dialog() {
  const Clip* c = work_.selection.clip();
  if (!c) return;
  const auto& source = work_.document.reel().source_of(*c);
  const auto file = remember_folder(QFileDialog::getOpenFileName(
      this, tr("Where is %1 now?").arg(QString::fromStdString(source.path.filename().string())),
      last_folder()));
  if (!file.isEmpty())
    work_.document.change(
        [&](const Reel& reel) { return edits::relink(reel, c->id, file.toStdString()); });
}

}  // namespace drevan::desktop
