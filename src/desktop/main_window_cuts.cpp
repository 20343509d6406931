// SPDX-License-Identifier: GPL-3.0-or-later
// The menus that cut clips and put them into groups.
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QLabel>
#include <QListWidget>
#include <QMenuBar>
#include <QPlainTextEdit>
#include <QVBoxLayout>

#include "audio/utf8.h"
#include "dialogs/cut_sheet.h"
#include "dialogs/who_sheet.h"
#include "main_window.h"
#include "reel/edits/cuts.h"
#include "reel/edits/groups.h"
#include "reel/edits/takes.h"
#include "widgets/group_mark.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/notices.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

void MainWindow::make_cut_menu() {
  QMenu* m = menus_->addMenu(tr("C&ut"));
  add(m, tr("Split at the playhead or the selection's ends"), QKeySequence("K"), [this] {
    const auto range = bench_->scope().selection();
    work_.jobs.split(range && place_ != Place::scene
                         ? std::vector{range->begin, range->end}
                         : std::vector{work_.listening.clip_position()});
  });
  const auto selected = [this](auto&& act) {
    const auto range = bench_->scope().selection();
    if (!range) return tell(tr("Select a part in the scope first, by dragging over it."), true);
    bench_->scope().select(std::nullopt);
    act(*range);
  };
  add(m, tr("Keep the selection alone"), QKeySequence("Shift+K"),
      [this, selected] { selected([this](ClipRange range) { work_.jobs.trim(range); }); });
  add(m, tr("Take the selection out"), QKeySequence("X"), [this, selected] {
    selected([this](ClipRange range) { work_.jobs.take_out(range, false); });
  });
  add(m, tr("Take it out and close up"), QKeySequence("Shift+X"), [this, selected] {
    selected([this](ClipRange range) { work_.jobs.take_out(range, true); });
  });
  m->addSeparator();
  add(m, tr("Cut a take into pieces ..."), QKeySequence("Ctrl+K"), [this] {
    if (!work_.selection.clip() || is_bus(*work_.selection.clip()))
      return tell(tr("Choose the take in the shelf first."), true);
    auto* sheet = new CutSheet(work_, work_.selection.clip_id(), this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
  add(m, tr("Join the marked clips"), QKeySequence("Ctrl+Shift+K"), [this] {
    work_.document.change([&](const Reel& reel) { return edits::join(reel, marked_clips()); });
  });
  make_take_entries(m);
  m->addSeparator();
  add(m, tr("Duplicate"), QKeySequence("Ctrl+Shift+D"), [this] {
    if (place_ == Place::scene) return scene_->rows().duplicate_marked();
    work_.document.change([&](const Reel& reel) { return edits::duplicate(reel, marked_clips()); });
  });
}

void MainWindow::make_take_entries(QMenu* m) {
  add(m, tr("The marked clips are takes of one line"), QKeySequence("T"), [this] {
    work_.document.change(
        [&](const Reel& reel) { return edits::make_takes(reel, marked_clips()); });
  });
  add(m, tr("Choose this take"), QKeySequence("Shift+T"), [this] {
    change_clip([](const Reel& reel, ClipId clip) { return edits::choose_take(reel, clip); });
  });
  add(m, tr("Hear the next take"), QKeySequence("N"), [this] { hear_next_take(); });
  add(m, tr("No takes any more"), {}, [this] {
    work_.document.change(
        [&](const Reel& reel) { return edits::part_takes(reel, marked_clips()); });
  });
}

// From its beginning, as loud as the others.
void MainWindow::hear_next_take() {
  const Clip* clip = work_.selection.clip();
  const auto takes = clip ? takes_of(work_.document.reel(), *clip) : std::vector<ClipId>{};
  if (takes.empty()) return tell(tr("This clip is no take; mark takes of one line with T."), true);
  const auto at = std::ranges::find(takes, clip->id);
  work_.selection.select_clip(at + 1 == takes.end() ? takes.front() : *(at + 1));
  work_.listening.seek(ClipTime{0});
  work_.listening.player().play();
}

void MainWindow::make_group_menu() {
  group_menu_ = menus_->addMenu(tr("&Group"));
  QMenu* m = group_menu_;
  const auto group = [this] { return bench_->shelf().group_at_hand(); };
  const auto change_group = [this, group](auto&& edit) {
    if (group()) work_.document.change([&](const Reel& reel) { return edit(reel, group()); });
  };
  add(m, tr("New group of the marked clips"), QKeySequence("Ctrl+G"), [this] { new_group(); });
  add(m, tr("Rename the clip"), QKeySequence("F2"),
      [this] { bench_->shelf().rename_clip(work_.selection.clip_id()); });
  add(m, tr("Rename the group"), QKeySequence("Shift+F2"),
      [this, group] { bench_->shelf().rename_group(group()); });
  add(m, tr("Note and mark ..."), {}, [this] { group_note_dialog(); });
  add(m, tr("Add files to it ..."), QKeySequence("Ctrl+Shift+I"), [this, group] {
    const Group* to = work_.document.reel().find(group());
    add_dialog(to ? QString::fromStdString(to->name) : QString());
  });
  m->addSeparator();
  make_move_menu(m);
  add(m, tr("Group up"), QKeySequence("Ctrl+Shift+Up"), [this] { move_group_at_hand(-1); });
  add(m, tr("Group down"), QKeySequence("Ctrl+Shift+Down"), [this] { move_group_at_hand(1); });
  add(m, tr("Remove the group, keep its clips"), {}, [this, change_group] {
    change_group([](const Reel& reel, GroupId g) { return edits::remove_group(reel, g); });
    bench_->shelf().touch_group(0);
  });
  m->addSeparator();
  add(m, tr("Fold all"), QKeySequence("Ctrl+Shift+Left"),
      [this] { bench_->shelf().fold_all(true); });
  add(m, tr("Unfold all"), QKeySequence("Ctrl+Shift+Right"),
      [this] { bench_->shelf().fold_all(false); });
  make_sort_menu(m);
  make_group_by_menu(m);
}

// Past the group above it or below it; it stays the one at hand.
void MainWindow::move_group_at_hand(int way) {
  const GroupId moved = bench_->shelf().group_at_hand();
  const auto& groups = work_.document.reel().groups;
  const auto place = std::ranges::find(groups, moved, &Group::id) - groups.begin() + way;
  if (!moved || place < 0 || place >= std::ssize(groups)) return;
  const GroupId past = groups[static_cast<size_t>(place)].id;
  work_.document.change([&](const Reel& reel) { return edits::move_group(reel, moved, past); });
  bench_->shelf().touch_group(moved);
}

// Which groups there are is known when it opens.
void MainWindow::make_move_menu(QMenu* m) {
  QMenu* to = m->addMenu(tr("Move the marked clips to"));
  connect(to, &QMenu::aboutToShow, this, [this, to] {
    to->clear();
    for (const Group& of : work_.document.reel().groups) {
      QAction* a = to->addAction(group_mark_icon(of.mark), QString::fromStdString(of.name));
      connect(a, &QAction::triggered, this, [this, g = of.id] {
        work_.document.change(
            [&](const Reel& reel) { return edits::move_clips(reel, marked_clips(), g, 0); });
      });
    }
  });
  add(m, tr("Clips up"), QKeySequence("Ctrl+Up"), [this] { move_marked(-1); });
  add(m, tr("Clips down"), QKeySequence("Ctrl+Down"), [this] { move_marked(1); });
}

// Past the clip above them or below them, within their group.
void MainWindow::move_marked(int way) {
  const auto marked = marked_clips();
  const Reel& reel = work_.document.reel();
  const Clip* first = marked.empty() ? nullptr : reel.find(marked.front());
  if (!first || is_bus(*first)) return;
  const GroupId group = first->group;
  std::vector<ClipId>
      others;  // of the group, without the marked, and where the first of these stood
  size_t place = 0;
  for (const auto& c : reel.clips) {
    if (c.group != group) continue;
    if (c.id == first->id) place = others.size();
    if (std::ranges::find(marked, c.id) == marked.end()) others.push_back(c.id);
  }
  const auto next = static_cast<std::ptrdiff_t>(place) + way;
  if (next < 0 || next > std::ssize(others)) return;
  const ClipId before = next == std::ssize(others) ? 0 : others[static_cast<size_t>(next)];
  work_.document.change(
      [&](const Reel& now) { return edits::move_clips(now, marked, group, before); });
}

void MainWindow::make_sort_menu(QMenu* m) {
  QMenu* sort = m->addMenu(tr("Sort the clips of each group by"));
  const auto by = [this](const std::string& what,
                         const std::function<bool(const Clip&, const Clip&)>& less) {
    work_.document.change([&](const Reel& reel) { return edits::sort_clips(reel, less, what); });
  };
  // What is not measured yet comes last.
  const auto level = [this](const Clip& c, std::optional<double> Levels::*of) {
    const Levels* levels = work_.shelf.clip_levels(c.id);
    return levels ? (levels->*of).value_or(1e3) : 1e4;
  };
  add(sort, tr("Name"), {}, [by] {
    by("name", [](const Clip& a, const Clip& b) { return edits::before_by_name(a.name, b.name); });
  });
  add(sort, tr("Place in the reel"), {},
      [by] { by("place", [](const Clip& a, const Clip& b) { return a.place.s < b.place.s; }); });
  add(sort, tr("Loudness"), {}, [by, level] {
    by("loudness", [&](const Clip& a, const Clip& b) {
      return level(a, &Levels::loudness_lufs) < level(b, &Levels::loudness_lufs);
    });
  });
  add(sort, tr("Noise"), {}, [by, level] {
    by("noise", [&](const Clip& a, const Clip& b) {
      return level(a, &Levels::noise_floor_dbfs) < level(b, &Levels::noise_floor_dbfs);
    });
  });
}

void MainWindow::make_group_by_menu(QMenu* m) {
  QMenu* by = m->addMenu(tr("Group the marked clips by"));
  const auto group_by = [this](const std::function<std::string(const Clip&)>& name_of) {
    work_.document.change(
        [&](const Reel& reel) { return edits::group_by(reel, marked_clips(), name_of); });
  };
  add(by, tr("Folder"), {}, [this, group_by] {
    group_by([this](const Clip& c) {
      const auto folder = work_.document.reel().source_of(c).path.parent_path().filename();
      return folder.empty() ? std::string("Top folder") : to_utf8(folder.string());
    });
  });
  add(by, tr("Beginning of the name"), {},
      [group_by] { group_by([](const Clip& c) { return edits::name_beginning(c.name); }); });
  add(by, tr("Channels"), {}, [this, group_by] {
    group_by([this](const Clip& c) {
      const int channels = work_.document.reel().source_of(c).channels;
      return channels == 1   ? std::string("Mono")
             : channels == 2 ? std::string("Stereo")
                             : std::to_string(channels) + " channels";
    });
  });
  add(by, tr("Who speaks ..."), QKeySequence("Ctrl+Shift+W"), [this] {
    auto marked = marked_clips();
    std::erase_if(marked, [](ClipId id) { return is_bus(id); });
    if (marked.size() < 2) {
      marked.clear();
      for (const auto& c : work_.document.reel().clips) marked.push_back(c.id);
    }
    if (marked.empty()) return;
    auto* sheet = new WhoSheet(work_, marked, this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
}

// It has a name at once; the field that opens is for a better one.
void MainWindow::new_group() {
  const auto& groups = work_.document.reel().groups;
  std::string name = "New group";
  for (int n = 2; std::ranges::find(groups, name, &Group::name) != groups.end(); ++n)
    name = "New group " + std::to_string(n);
  auto marked = marked_clips();
  std::erase_if(marked, [](ClipId id) { return is_bus(id); });
  if (!work_.document.change(
          [&](const Reel& reel) { return edits::new_group(reel, name, marked); }))
    return;
  const GroupId group = work_.document.reel().groups.back().id;
  bench_->shelf().touch_group(group);
  // A field that is not seen would keep the keys.
  if (bench_->isVisible()) return bench_->shelf().rename_group(group);
  tell(tr("%1 holds the marked clips; Shift+F2 on the Bench gives it a name.")
           .arg(QString::fromStdString(name)),
       false);
}

void MainWindow::group_note_dialog() {
  const GroupId group = bench_->shelf().group_at_hand();
  if (!group) return;
  const Group of = work_.document.reel().at(group);
  QDialog dialog(this);
  dialog.setWindowTitle(tr("Note and mark of %1").arg(QString::fromStdString(of.name)));
  dialog.resize(380, 340);
  auto* box = new QVBoxLayout(&dialog);
  auto* note = new QPlainTextEdit(QString::fromStdString(of.note), &dialog);
  note->setAccessibleName(tr("Note"));
  note->setPlaceholderText(tr("What to remember of this group: the microphone, the room, ..."));
  note->setTabChangesFocus(true);
  auto* marks = new QListWidget(&dialog);
  marks->setAccessibleName(tr("Mark"));
  marks->setMaximumHeight(150);
  for (const auto mark : all_group_marks)
    marks->addItem(new QListWidgetItem(group_mark_icon(mark), group_mark_name(mark)));
  marks->setCurrentRow(static_cast<int>(of.mark));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, &dialog);
  connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  box->addWidget(new QLabel(tr("Note"), &dialog));
  box->addWidget(note, 1);
  box->addWidget(new QLabel(tr("Mark"), &dialog));
  box->addWidget(marks);
  box->addWidget(buttons);
  if (dialog.exec() != QDialog::Accepted) return;
  const auto mark = static_cast<GroupMark>(std::max(0, marks->currentRow()));
  work_.document.change([&](const Reel& reel) {
    return edits::set_group_note(reel, group, note->toPlainText().toStdString(), mark);
  });
}

}  // namespace drevan::desktop
