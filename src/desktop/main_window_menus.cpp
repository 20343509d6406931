// SPDX-License-Identifier: GPL-3.0-or-later
// The window's menus and what their entries ask for.
#include <QActionGroup>
#include <QApplication>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QInputDialog>
#include <QLabel>
#include <QListWidget>
#include <QMenuBar>
#include <QMessageBox>
#include <QProgressDialog>
#include <QSettings>
#include <QVBoxLayout>

#include "dialogs/sound_sheet.h"
#include "dialogs/history_dialog.h"
#include "main_window.h"
#include "pages/bench/recipe_drawer.h"
#include "steps/line/loudspeaker_device.h"
#include "widgets/last_folder.h"
#include "widgets/show_folder.h"
#include "widgets/words.h"
#include "theme/theme.h"
#include "dialogs/uneven_dialog.h"
#include "dialogs/versions_dialog.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/mix_sum.h"
#include "work/printing.h"
#include "work/selection.h"
#include "work/recent_reels.h"
#include "work/recipe_files.h"

namespace drevan::desktop {

QAction* MainWindow::add(QMenu* menu, const QString& text, const QKeySequence& key,
                         std::function<void()> run) {
  QAction* a = menu->addAction(text);
  a->setShortcut(key);
  connect(a, &QAction::triggered, this, [run = std::move(run)] { run(); });
  // Menus in the strip do not belong to the window; the keys must.
  addAction(a);
  return a;
}

void MainWindow::make_menus() {
  make_reel_menu();
  make_edit_menu();
  make_clip_menu();
  make_cut_menu();
  make_group_menu();
  make_versions_menu();
  make_scene_menu();
  make_listen_menu();
  make_look_menu();
  make_help_menu();
}

void MainWindow::make_reel_menu() {
  QMenu* m = menus_->addMenu(tr("&Reel"));
  add(m, tr("New"), QKeySequence::New, [this] {
    if (may_leave()) work_.document.new_reel();
  });
  add(m, tr("Open ..."), QKeySequence::Open, [this] { open_dialog(); });
  QMenu* recent = m->addMenu(tr("Recent"));
  connect(m, &QMenu::aboutToShow, this, [this, recent] {
    recent->clear();
    for (const auto& file : recent_reels())
      connect(recent->addAction(file), &QAction::triggered, this,
              [this, file] { open_files({file}); });
    recent->setEnabled(!recent->isEmpty());
  });
  add(m, tr("Add files ..."), QKeySequence("Ctrl+I"), [this] { add_dialog(); });
  add(m, tr("Add a folder ..."), QKeySequence("Ctrl+Alt+I"), [this] { add_folder_dialog(); });
  add(m, tr("Record ..."), QKeySequence("Shift+Space"), [this] { record_or_stop(); });
  m->addSeparator();
  add(m, tr("Save"), QKeySequence::Save, [this] { save(); });
  add(m, tr("Save as ..."), QKeySequence("Ctrl+Shift+S"), [this] { save_as(); });
  m->addSeparator();
  add(m, tr("The mix on the Bench"), QKeySequence("Ctrl+M"), [this] { work_.mix_sum.open(); });
  add(m, tr("Render the batch"), QKeySequence("Ctrl+Return"), [this] {
    show_place(Place::batch);
    batch_->render();
  });
  m->addSeparator();
  add(m, tr("Quit"), QKeySequence::Quit, [this] { close(); });
}

void MainWindow::make_edit_menu() {
  QMenu* m = menus_->addMenu(tr("&Edit"));
  undo_ = add(m, tr("Undo"), QKeySequence::Undo, [this] { work_.document.undo(); });
  redo_ = add(m, tr("Redo"), QKeySequence("Ctrl+Shift+Z"), [this] { work_.document.redo(); });
  m->addSeparator();
  make_many_entries(m);
  m->addSeparator();
  add(m, tr("Mark all clips"), QKeySequence::SelectAll, [this] { bench_->shelf().mark_all(); });
  add(m, tr("Search the shelf"), QKeySequence::Find, [this] { bench_->search(); });
  m->addSeparator();
  add(m, tr("List of edits"), QKeySequence("Ctrl+H"), [this] {
    if (!edits_) edits_ = new HistoryDialog(work_, this);
    edits_->show();
    edits_->raise();
  });
}

void MainWindow::change_clip(const std::function<edits::Edit(const Reel&, ClipId)>& edit) {
  if (work_.selection.clip())
    work_.document.change([&](const Reel& reel) { return edit(reel, work_.selection.clip_id()); });
}

void MainWindow::make_clip_menu() {
  QMenu* m = menus_->addMenu(tr("&Clip"));
  add(m, tr("Mark room tone"), QKeySequence("R"), [this] { bench_->mark_room_tone(); });
  add(m, tr("Find room tone"), QKeySequence("Shift+R"), [this] { work_.jobs.find_room_tone(); });
  const auto lends = [this] {
    return work_.selection.clip() &&
           lends_room_tone(work_.document.reel(), *work_.selection.clip());
  };
  QAction* share = add(m, tr("Room tone serves the group"), {}, [this, lends] {
    change_clip([share = !lends()](const Reel& reel, ClipId clip) {
      return edits::share_room_tone(reel, clip, share);
    });
  });
  share->setCheckable(true);
  connect(m, &QMenu::aboutToShow, this, [share, lends] { share->setChecked(lends()); });
  m->addSeparator();
  add(m, tr("Meet the target"), QKeySequence("Ctrl+T"), [this] { work_.jobs.meet_target(); });
  m->addSeparator();
  add(m, tr("Recipes"), QKeySequence("Ctrl+R"), [this] {
    show_place(Place::bench);
    recipes().set_open(!recipes().isVisible());
  });
  add(m, tr("Use a recipe file ..."), {}, [this] {
    const auto file = remember_folder(QFileDialog::getOpenFileName(
        this, tr("Use a recipe"), last_folder(), tr("Recipes (*.recipe)")));
    if (!file.isEmpty()) use_recipe_file(work_, file.toStdString());
  });
  add(m, tr("Save the chain as a recipe ..."), {}, [this] {
    auto file = remember_folder(QFileDialog::getSaveFileName(
        this, tr("Save as a recipe"), last_folder() + "/voice.recipe", tr("Recipes (*.recipe)")));
    if (file.isEmpty()) return;
    if (!file.endsWith(".recipe")) file += ".recipe";
    save_recipe_file(work_, file.toStdString());
  });
  add(m, tr("Copy the chain to clips ..."), QKeySequence("Ctrl+Shift+C"),
      [this] { copy_chain_dialog(); });
  m->addSeparator();
  const auto sits_out = [this] {
    return work_.selection.clip() &&
           sits_out_of_group(work_.document.reel(), *work_.selection.clip());
  };
  QAction* apart = add(m, tr("Sit out of the group's chain"), {}, [this, sits_out] {
    change_clip([out = !sits_out()](const Reel& reel, ClipId clip) {
      return edits::sit_out_of_group(reel, clip, out);
    });
  });
  apart->setCheckable(true);
  connect(m, &QMenu::aboutToShow, this, [apart, sits_out] { apart->setChecked(sits_out()); });
  add(m, tr("Take part in everything again"), {}, [this] {
    work_.document.change([&](const Reel& reel) { return edits::take_part(reel, marked_clips()); });
  });
  add(m, tr("Where do my clips differ?"), QKeySequence("Ctrl+D"), [this] {
    if (!uneven_) uneven_ = new UnevenDialog(work_, this);
    uneven_->show();
    uneven_->raise();
    uneven_->listen();
  });
  m->addSeparator();
  add(m, tr("Rename ..."), {}, [this] {
    const Clip* c = work_.selection.clip();
    if (!c) return;
    bool ok = false;
    const auto name = QInputDialog::getText(this, tr("Rename clip"), tr("Name"), QLineEdit::Normal,
                                            QString::fromStdString(c->name), &ok);
    if (ok)
      change_clip([&](const Reel& reel, ClipId clip) {
        return edits::rename_clip(reel, clip, name.toStdString());
      });
  });
  add(m, tr("Find the source ..."), {}, [this] { find_source_dialog(); });
  add(m, tr("Open the folder of its file"), {}, [this] {
    if (const Clip* c = work_.selection.clip())
      show_folder(work_.notices, work_.document.reel().source_of(*c).path);
  });
  add(m, tr("Open the folder of its render"), {}, [this] { show_render(); });
  add(m, tr("Remove from the reel"), {}, [this] {
    work_.document.change(
        [&](const Reel& reel) { return edits::remove_clips(reel, marked_clips()); });
  });
  connect(bench_, &Bench::context_wanted, this, [m](const QPoint& at) { m->popup(at); });
  connect(bench_, &Bench::group_context_wanted, this,
          [this](const QPoint& at) { group_menu_->popup(at); });
}

void MainWindow::make_versions_menu() {
  QMenu* m = menus_->addMenu(tr("&Versions"));
  const auto selection = [this] {
    const auto range = bench_->scope().selection();
    if (!range) tell(tr("Select a part of the clip first: drag over the waveform."), true);
    return range;
  };
  add(m, tr("Print the selection"), QKeySequence("P"), [this, selection] {
    if (const auto range = selection()) work_.printing.print(range);
  });
  add(m, tr("The same for this selection"), QKeySequence("Shift+P"), [this, selection] {
    if (const auto range = selection()) work_.printing.print_again(*range);
  });
  add(m, tr("Print the clip"), QKeySequence("Ctrl+P"),
      [this] { work_.printing.print(std::nullopt); });
  add(m, tr("Print the group"), {}, [this] { work_.printing.print_group(); });
  m->addSeparator();
  add(m, tr("List of versions"), QKeySequence("V"), [this] {
    versions().show();
    versions().raise();
  });
  connect(&work_.printing, &Printing::progress, this, &MainWindow::show_printing);
  connect(&work_.mix_sum, &MixSum::progress, this, &MainWindow::show_summing);
  connect(&work_.mix_sum, &MixSum::opened, this, [this] {
    // Where it was chosen, or its steps are at hand, it stays there.
    const bool stays = std::exchange(bus_stays_, false) || scene_->shows_steps();
    if (place_ != Place::scene || !stays) show_place(Place::bench);
  });
}

void MainWindow::zoom(double by) {
  if (place_ == Place::scene) {
    auto& rows = scene_->rows();
    return rows.zoom(by, rows.view_begin() + rows.view_seconds() / 2);
  }
  auto& s = bench_->scope();
  s.zoom(by, s.view_begin() + s.view_length() / 2);
}

RecipeDrawer& MainWindow::recipes() { return bench_->recipes(); }

VersionsDialog& MainWindow::versions() {
  if (!versions_) versions_ = new VersionsDialog(work_, this);
  return *versions_;
}

// One of several that are alike: shown where it takes half a second, gone at 1.
void MainWindow::show_progress(Waited& waited, double share, const QString& what,
                               const std::function<void()>& cancel) {
  if (share >= 1) {
    if (waited.dialog) waited.dialog->deleteLater();
    waited.dialog = nullptr;
    return;
  }
  if (!waited.dialog) {
    waited.dialog = new QProgressDialog(what, tr("Cancel"), 0, 1000, this);
    waited.dialog->setMinimumDuration(500);
    connect(waited.dialog, &QProgressDialog::canceled, this, [this, &waited, cancel] {
      cancel();
      show_progress(waited, 1, {}, {});
    });
  }
  waited.dialog->setLabelText(what);
  waited.dialog->setValue(static_cast<int>(share * 999));
}

void MainWindow::show_printing(double share) {
  const int waiting = work_.printing.waiting();
  show_progress(printing_, share < 0 ? 1 : std::min(share, 0.999),
                waiting > 0 ? tr("Printing, %1 more to come ...").arg(waiting) : tr("Printing ..."),
                [this] {
                  work_.printing.cancel();
                  tell(tr("Nothing was printed."), false);
                });
}

void MainWindow::show_summing(double share) {
  show_progress(summing_, share, tr("Summing the clips ..."), [this] {
    work_.mix_sum.cancel();
    tell(tr("The mix shows the sum as it was."), false);
  });
}

void MainWindow::make_listen_menu() {
  QMenu* m = menus_->addMenu(tr("&Listen"));
  add(m, tr("Play or pause"), QKeySequence(Qt::Key_Space), [this] { play_or_pause(); });
  add(m, tr("Loop"), QKeySequence("L"),
      [this] { foot().findChild<QToolButton*>("loop")->toggle(); });
  add(m, tr("To the start"), QKeySequence("Ctrl+Home"), [this] {
    work_.listening.plays_scene() ? work_.listening.seek(ReelTime{0})
                                  : work_.listening.seek(ClipTime{0});
  });
  m->addSeparator();
  add(m, tr("Before"), QKeySequence("1"), [this] { foot().listen(Listen::before); });
  add(m, tr("After"), QKeySequence("2"), [this] { foot().listen(Listen::after); });
  add(m, tr("Removed"), QKeySequence("3"), [this] { foot().listen(Listen::removed); });
  add(m, tr("This step only"), QKeySequence("4"),
      [this] { bench_->foot().set_solo_step(!work_.listening.solo_step()); });
  add(m, tr("The next place over 0 dBFS"), QKeySequence("Shift+O"),
      [this] { bench_->next_over(); });
  QAction* dragging = add(m, tr("Hear where the playhead is dragged"), {}, [this] {
    work_.listening.set_hears_dragging(!work_.listening.hears_dragging());
  });
  dragging->setCheckable(true);
  dragging->setChecked(work_.listening.hears_dragging());
  m->addSeparator();
  make_listen_on_menu(*m);
  add(m, tr("Blind comparison ..."), QKeySequence("Ctrl+B"), [this] { bench_->compare_blind(); });
  m->addSeparator();
  add(m, tr("Sound settings ..."), QKeySequence("Ctrl+,"), [this] {
    auto* sheet = new SoundSheet(work_, this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
}

// A way of listening, not a step: is it still understood there?
void MainWindow::make_listen_on_menu(QMenu& menu) {
  QMenu* m = menu.addMenu(tr("Hear as &on"));
  m->setObjectName("hear_as_on");
  auto* group = new QActionGroup(this);
  const auto choice = [&](const QString& label, int device) {
    QAction* a = add(m, label, {}, [this, device] { work_.listening.listen_on(device); });
    a->setCheckable(true);
    a->setChecked(device == work_.listening.listens_on());
    group->addAction(a);
  };
  choice(tr("Nothing: as it is"), -1);
  m->addSeparator();
  const auto devices = speaker_devices();
  for (size_t i = 0; i < devices.size(); ++i) choice(text(devices[i].label), static_cast<int>(i));
}

void MainWindow::make_look_menu() {
  QMenu* m = menus_->addMenu(tr("L&ook"));
  add(m, tr("Bench"), QKeySequence("Ctrl+1"), [this] { show_place(Place::bench); });
  add(m, tr("Scene"), QKeySequence("Ctrl+2"), [this] { show_place(Place::scene); });
  add(m, tr("Batch"), QKeySequence("Ctrl+3"), [this] { show_place(Place::batch); });
  m->addSeparator();
  add(m, tr("Zoom in"), QKeySequence("Ctrl++"), [this] { zoom(1.5); });
  add(m, tr("Zoom out"), QKeySequence("Ctrl+-"), [this] { zoom(1 / 1.5); });
  add(m, tr("Whole clip"), QKeySequence("Ctrl+0"),
      [this] { place_ == Place::scene ? scene_->rows().show_all() : bench_->scope().show_all(); });
  m->addSeparator();
  add(m, tr("Spectrogram"), QKeySequence("S"),
      [this] { bench_->show_spectrogram(!bench_->scope().spectrogram().on()); });
  add(m, tr("Show quieter sounds"), QKeySequence("Shift+Up"),
      [this] { bench_->widen_spectrogram(6); });
  add(m, tr("Show louder sounds only"), QKeySequence("Shift+Down"),
      [this] { bench_->widen_spectrogram(-6); });
  m->addSeparator();
  auto* group = new QActionGroup(this);
  for (const auto& [name, label] : {std::pair{QString("timber"), tr("Dark, timber")},
                                    std::pair{QString("birch"), tr("Light, birch")}}) {
    QAction* a = add(m, label, {}, [this, name] { use_theme(name); });
    a->setCheckable(true);
    a->setChecked(theme().name == name);
    group->addAction(a);
  }
}

}  // namespace drevan::desktop
