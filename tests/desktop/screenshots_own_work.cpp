// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of cutting, groups and the start, from the demo's own sounds.
#include <QMouseEvent>
#include <QSettings>
#include <QTemporaryDir>

#include "dialogs/cut_sheet.h"
#include "dialogs/help_window.h"
#include "dialogs/who_sheet.h"
#include "pages/bench/step_chooser.h"
#include "reel/edits/groups.h"
#include "shots.h"
#include "support/sounds.h"
#include "work/recent_reels.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {

namespace {

// The narrator reads for some minutes: one file, as a recorder leaves it.
Source long_take(const QString& folder) {
  const std::filesystem::path demo = DREVAN_SOURCE_DIR "/demo";
  const auto file = std::filesystem::path(folder.toStdString()) / "narrator, second evening.wav";
  std::vector<AudioBuffer> parts;
  for (const char* name : {"opening", "night-two", "log-entry-night", "opening", "night-two"}) {
    const auto sound = demo / (std::string(name) + ".flac");
    if (!std::filesystem::exists(sound)) continue;
    parts.push_back(test::read_all(sound));
    parts.push_back(test::noise(0.001, 1.1, 5));
  }
  AudioBuffer all = test::join(parts);
  test::write_wav(file, all, 48000, SampleType::int24);
  return examine_source(file);
}

// The clips in which somebody speaks.
std::vector<ClipId> all_voices(const Work& w) {
  std::vector<ClipId> out;
  for (const auto& c : w.document.reel().clips)
    if (w.document.reel().group_of(c).name != "Effects" && clip_seconds(w.document.reel(), c) > 2.5)
      out.push_back(c.id);
  return out;
}

void hold(QWidget* on, QEvent::Type type, QPointF at) {
  QMouseEvent e(type, at, on->mapToGlobal(at),
                type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton, Qt::LeftButton, {});
  QApplication::sendEvent(on, &e);
}

}  // namespace

void own_work(MainWindow& window, Shots& shots, const QString& folder) {
  const Work& w = window.work();
  const QTemporaryDir temp;
  w.document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel");
  shots.settle();
  const Source take = long_take(temp.path());
  edit_reel(w, [&](const Reel& reel) {
    edits::Edit e{reel, "Add clips"};
    add_clip(e.next, take, "Narrator");
    return e;
  });
  w.selection.select_clip(clip_named(w, "narrator, second evening"));
  shots.settle();
  wait_for([&] { return w.shelf.source_peaks(*w.selection.clip()) != nullptr; });
  auto* sheet = new CutSheet(w, w.selection.clip_id(), &window);
  sheet->show();
  wait_for([&] { return !sheet->hearing(); });
  wait(200);
  std::vector<std::pair<QPoint, QPixmap>> sheets{{{12, 12}, sheet->grab()}};
  edit_reel(w, [&, pieces = sheet->view().pieces()](const Reel& reel) {
    return edits::cut_into(reel, w.selection.clip_id(), pieces);
  });
  delete sheet;
  const auto marked = [&] {
    std::vector<ClipId> ids;
    for (const auto& c : w.document.reel().clips)
      if (c.name.starts_with("narrator, second evening ")) ids.push_back(c.id);
    return ids;
  }();
  edit_reel(w, edits::new_group, std::string("Second evening"), marked);
  const auto& groups = w.document.reel().groups;
  const GroupId on_stairs = groups.front().id, evening = groups.back().id;
  edit_reel(w, edits::move_group, evening, on_stairs);
  edit_reel(w, edits::set_group_note, evening, std::string("from 21:40, nearer to the microphone"),
            GroupMark::diamond);
  edit_reel(w, edits::set_group_note, on_stairs, std::string("on the stairs"), GroupMark::ring);
  w.selection.select_clip(marked.front());
  shots.settle();
  wait(2500);
  // One clip is on its way to another group.
  Shelf& shelf = window.bench().shelf();
  const QPointF from = shelf.clip_rect(marked.at(1)).center();
  hold(shelf.viewport(), QEvent::MouseButtonPress, from);
  hold(shelf.viewport(), QEvent::MouseMove, from + QPointF(0, 40));
  hold(shelf.viewport(), QEvent::MouseMove,
       shelf.clip_rect(marked.at(6)).center() + QPointF(0, 10));
  wait(100);
  shots.take("groups");
  hold(shelf.viewport(), QEvent::MouseMove, from);
  hold(shelf.viewport(), QEvent::MouseButtonRelease, from);

  WhoSheet who(w, all_voices(w), &window);
  who.resize(940, 480);
  who.show();
  wait_for([&] { return !who.hearing() && who.guess().speakers > 0; }, 60000);
  wait(200);
  sheets.push_back({{12, 544}, who.grab()});
  who.hide();
  LevelPathView& path = window.bench().level_path();
  StepChooser chooser(w, {ChainOwner::clip, 0}, &path);
  chooser.setAttribute(Qt::WA_DeleteOnClose, false);
  chooser.resize(460, 520);
  chooser.open_at(path.mapToGlobal(QPoint(400, 50)));
  wait(200);
  sheets.push_back({{964, 12}, chooser.grab()});
  chooser.close();
  HelpWindow help(&window);
  help.resize(460, 480);
  help.show();
  help.show_chapter(HelpWindow::tr("Groups: one change for every cut"));
  wait(200);
  sheets.push_back({{964, 544}, help.grab()});
  help.hide();
  QPixmap all(1436, 1036);
  all.fill(theme().line);
  QPainter p(&all);
  for (const auto& [at, picture] : sheets) p.drawPixmap(at, picture);
  p.end();
  all.save(folder + "/cutting.png");
  std::printf("%s/cutting.png\n", qPrintable(folder));

  // The start knows three reels.
  for (const char* name : {"the-pier", "fog-in-october", "skerry-light"}) {
    const auto file = temp.filePath(QString("%1.reel").arg(name));
    w.selection.select_clip(w.document.reel().clips[std::string_view(name).size() % 5].id);
    shots.settle();
    w.document.save(file.toStdString());
    keep_recent_picture(file, window.bench().scope().grab());
    wait(50);
  }
  w.document.new_reel();
  wait(300);
  shots.take("start");
}

}  // namespace drevan::desktop
