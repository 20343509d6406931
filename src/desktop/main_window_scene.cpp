// SPDX-License-Identifier: GPL-3.0-or-later
// The Scene's menu and what its entries ask for.
#include <QFileDialog>
#include <QFileInfo>
#include <QMenuBar>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "dialogs/film_sheet.h"
#include "dialogs/made_sheet.h"
#include "engine/scene/events.h"
#include "main_window.h"
#include "widgets/last_folder.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "reel/scene/made.h"
#include "reel/library/source_files.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "steps/curve_edit.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/mix_sum.h"
#include "work/selection.h"

namespace drevan::desktop {

void MainWindow::make_scene_menu() {
  QMenu* m = menus_->addMenu(tr("Sce&ne"));
  // Entries that only mean something there bring one there.
  const auto there = [this](auto&& act) {
    return [this, act] {
      show_place(Place::scene);
      act();
    };
  };
  add(m, tr("Add a film ..."), {}, there([this] { scene_->add_film_dialog(); }));
  add(m, tr("The films' sound as clips"), {}, there([this] { work_.films.add_sounds(); }));
  add(m, tr("The picture in a window of its own"), QKeySequence("W"), there([this] {
        const QWidget* now = scene_->film_window();
        scene_->show_film_window(!now || !now->isVisible());
      }));
  make_film_menus(m);
  m->addSeparator();
  add(m, tr("Mark an event"), QKeySequence("E"), there([this] { scene_->mark_event(); }));
  add(m, tr("Find the cuts"), {}, there([this] { work_.films.find_cuts(); }));
  add(m, tr("Take all events out"), {}, [this] {
    std::vector<EventId> all;
    for (const Event& e : work_.document.reel().events) all.push_back(e.id);
    if (!all.empty())
      work_.document.change([&](const Reel& reel) { return edits::remove_events(reel, all); });
  });
  m->addSeparator();
  add(m, tr("Steps of what is chosen"), QKeySequence("A"),
      there([this] { scene_->show_steps(!scene_->shows_steps()); }));
  add(m, tr("Steps in a window of their own"), {},
      there([this] { scene_->show_steps_window(!scene_->steps_in_window()); }));
  QAction* gain = add(m, tr("Gain of the clip as a line"), QKeySequence("G"),
                      there([this] { scene_->rows().toggle_gain_line(); }));
  QMenu* line = m->addMenu(tr("Another line over the row"));
  connect(line, &QMenu::aboutToShow, this, [this, line] { fill_line_menu(*line); });
  add(m, tr("Follow what is under the dot"), QKeySequence("F"),
      there([this] { scene_->film().follow(); }));
  QAction* bind = add(m, tr("Bind what is heard at the playhead"), QKeySequence("B"),
                      there([this] { scene_->rows().bind_at_playhead(); }));
  QAction* as_it_came = add(m, tr("The clip as long as it came"), {},
                            [this] { change_clip(edits::take_out_stretch); });
  QAction* layered = add(m, tr("Let it sound with what it overlaps"), {}, there([this] {
                           const Clip* c = work_.selection.clip();
                           if (c) scene_->rows().set_layered(!c->layered);
                         }));
  layered->setCheckable(true);
  connect(m, &QMenu::aboutToShow, this, [this, layered] {
    const Clip* c = work_.selection.clip();
    layered->setEnabled(c && !is_bus(*c));
    layered->setChecked(c && c->layered);
  });
  add(m, tr("A clip of tone, noise or silence ..."), {}, there([this] {
        auto* sheet = new MadeSheet(work_, ReelTime{scene_->rows().playhead()}, this);
        sheet->setAttribute(Qt::WA_DeleteOnClose);
        sheet->show();
      }));
  add(m, tr("Fill the row's gaps with room tone"), {},
      there([this] { work_.jobs.fill_with_room_tone(); }));
  QAction* one = add(m, tr("Make one clip of the marked ones"), {},
                     there([this] { work_.jobs.make_one(scene_->rows().marked()); }));
  add(m, tr("Make it again"), {}, there([this] { work_.jobs.make_again(); }));
  add(m, tr("Take it apart"), {}, [this] { change_clip(edits::take_apart); });
  QAction* split = add(m, tr("Split at the playhead"), {}, [this] {
    const Clip* c = work_.selection.clip();
    if (place_ == Place::scene && c && !is_bus(*c))
      work_.jobs.split({in_clip(work_.scene.times(work_.document.reel(), *c),
                                ReelTime{scene_->rows().playhead()})});
  });
  m->addSeparator();
  QMenu* kind = m->addMenu(tr("The group is"));
  const std::pair<GroupKind, QString> kinds[] = {{GroupKind::dialogue, tr("Dialogue")},
                                                 {GroupKind::effects, tr("Effects")},
                                                 {GroupKind::music, tr("Music")}};
  for (const auto& [of, label] : kinds) {
    QAction* a = add(kind, label, {}, [this, of = of] {
      const Clip* c = work_.selection.clip();
      if (!c || is_bus(*c)) return;
      work_.document.change(
          [&](const Reel& reel) { return edits::set_group_kind(reel, c->group, of); });
    });
    a->setCheckable(true);
    connect(m, &QMenu::aboutToShow, this, [this, a, of = of] {
      const Clip* c = work_.selection.clip();
      a->setEnabled(c && !is_bus(*c));
      a->setChecked(c && !is_bus(*c) && work_.document.reel().group_of(*c).kind == of);
    });
  }
  QAction* only = add(m, tr("The group is heard through spaces alone"), {}, [this] {
    const Clip* c = work_.selection.clip();
    if (!c || is_bus(*c)) return;
    const bool direct = !work_.document.reel().group_of(*c).direct;
    work_.document.change(
        [&](const Reel& reel) { return edits::set_direct(reel, c->group, direct); });
  });
  m->addSeparator();
  add(m, tr("Write the film ..."), QKeySequence("Ctrl+Shift+Return"), [this] {
    auto* sheet = new FilmSheet(work_, this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->show();
  });
  add(m, tr("Write the marked clips ..."), {}, there([this] { write_marked(); }));
  add(m, tr("Write the events ..."), {}, [this] { write_events(); });
  add(m, tr("Write a list of the clips ..."), {}, [this] { write_clip_list(); });
  only->setCheckable(true);
  connect(m, &QMenu::aboutToShow, this, [this, only] {
    const Clip* c = work_.selection.clip();
    only->setEnabled(c && !is_bus(*c));
    only->setChecked(c && !is_bus(*c) && !work_.document.reel().group_of(*c).direct);
  });
  make_row_menu(m, {split, one, layered, as_it_came, bind, gain, line->menuAction()});
}

void MainWindow::make_row_menu(QMenu* scene, const QList<QAction*>& of_scene) {
  auto* m = new QMenu(this);
  m->setObjectName("row_menu");
  m->addAction(tr("Open on the Bench"), this, [this] { show_place(Place::bench); });
  m->addSeparator();
  m->addActions(of_scene);
  m->addSeparator();
  m->addAction(tr("Duplicate"), this, [this] { scene_->rows().duplicate_marked(); });
  m->addAction(tr("Remove from the reel"), this, [this] { scene_->rows().remove_chosen(); });
  // What is ticked and what can be done is found out there.
  connect(m, &QMenu::aboutToShow, scene, &QMenu::aboutToShow);
  connect(&scene_->rows(), &SceneRows::context_wanted, this,
          [m](const QPoint& at) { m->popup(at); });
}

void MainWindow::make_film_menus(QMenu* m) {
  QMenu* films = m->addMenu(tr("Films"));
  connect(m, &QMenu::aboutToShow, this, [this, films] {
    qDeleteAll(films->findChildren<QMenu*>(Qt::FindDirectChildrenOnly));
    const auto& all = work_.document.reel().films;
    for (int i = 0; i < std::ssize(all); ++i) {
      const QString name = text(all[static_cast<size_t>(i)].path.filename().string());
      fill_film_menu(*films->addMenu(QString(name).replace('&', "&&")), i);
    }
    films->setEnabled(!all.empty());
  });
  auto* of_one = new QMenu(this);
  of_one->setObjectName("film_menu");
  connect(&scene_->rows(), &SceneRows::film_context_wanted, this,
          [this, of_one](int film, const QPoint& at) {
            of_one->clear();
            fill_film_menu(*of_one, film);
            of_one->popup(at);
          });
}

void MainWindow::fill_film_menu(QMenu& menu, int film) {
  const auto place = [this, film](double s) {
    work_.document.change(
        [&](const Reel& reel) { return edits::place_film(reel, film, ReelTime{s}); });
  };
  menu.addAction(tr("It begins at the playhead"), this,
                 [this, place] { place(scene_->rows().playhead()); });
  QAction* behind =
      menu.addAction(tr("It begins where the one before ends"), this, [this, film, place] {
        const Film& before = work_.document.reel().films[static_cast<size_t>(film - 1)];
        if (const FilmInfo* info = work_.films.info(before)) place(before.place.s + info->seconds);
      });
  behind->setEnabled(film > 0);
  menu.addAction(tr("Take it out"), this, [this, film] {
    work_.document.change([&](const Reel& reel) { return edits::remove_film(reel, film); });
  });
}

std::vector<ClipId> MainWindow::marked_clips() const {
  if (place_ != Place::scene) return bench_->shelf().marked();
  auto clips = scene_->rows().marked();
  if (const Clip* bus = work_.selection.clip(); clips.empty() && bus) clips.push_back(bus->id);
  return clips;
}

// What can be drawn over the row of the selected clip, space or mix: its sends, and settings of its
// chains.
void MainWindow::fill_line_menu(QMenu& menu) {
  menu.clear();
  const Clip* clip = work_.selection.clip();
  if (!clip) {
    menu.addAction(tr("Choose a clip, a space or the mix first"))->setEnabled(false);
    return;
  }
  const auto entry = [this](QMenu& in, const QString& label, const RowLine& of) {
    in.addAction(label, this, [this, of] {
      show_place(Place::scene);
      scene_->rows().show_line(of);
    });
  };
  const Reel& reel = work_.document.reel();
  entry(menu, tr("Gain"), {});
  for (const Space& space : is_bus(*clip) ? std::vector<Space>{} : reel.spaces)
    entry(menu, tr("What goes into %1").arg(QString::fromStdString(space.clip.name)),
          {.space = space.id()});
  menu.addSeparator();
  for (const ChainOwner owner : owners_of(*clip))
    for (const ChainStep& step : chain_of(reel, *clip, owner).steps) {
      QMenu* of = menu.addMenu(text(step.type->label));
      for (int i = 0; i < std::ssize(step.type->parameters); ++i)
        if (may_follow_curve(*step.type, i))
          entry(*of, text(step.type->parameters[static_cast<size_t>(i)].label), {step.id, i, 0});
      if (may_follow_curve(*step.type, on_parameter))
        entry(*of, tr("Whether it is on"), {step.id, on_parameter, 0});
      of->setEnabled(!of->isEmpty());
    }
  menu.addSeparator();
  menu.addAction(tr("Take the line out"), this, [this] { scene_->rows().take_line_out(); });
}

void MainWindow::write_marked() {
  const auto clips = scene_->rows().marked();
  if (clips.empty()) return tell(tr("Mark the clips first, with Ctrl and a click."), true);
  const QString file =
      QFileDialog::getSaveFileName(this, tr("Write the marked clips"),
                                   last_folder() + "/marked.wav", tr("Sound (*.wav *.flac)"));
  if (!file.isEmpty()) work_.jobs.write_selection(clips, file.toStdString());
}

void MainWindow::show_making(double share) {
  show_progress(making_, share, tr("Rendering the clips ..."), [this] {
    work_.jobs.cancel_making();
    tell(tr("Nothing was written."), false);
  });
}

// From the film's first picture on, as a list that goes with the film is.
void MainWindow::write_events() {
  const auto events = events_of_film(work_.document.reel());
  if (events.empty())
    return tell(tr("There is no event yet; E marks one, Find the cuts marks those of the film."),
                true);
  write_list(tr("Write the events"), "events", [&](bool vtt, const std::string& code) {
    return vtt ? events_as_webvtt(events) : events_as_csv(events, work_.films.rate(), code);
  });
}

void MainWindow::write_clip_list() {
  const auto clips = clips_of_film(work_.document.reel());
  if (clips.empty()) return tell(tr("There is no clip yet that is heard."), true);
  write_list(tr("Write a list of the clips"), "clips", [&](bool vtt, const std::string& code) {
    return vtt ? clips_as_webvtt(clips) : clips_as_csv(clips, work_.films.rate(), code);
  });
}

// Asks for a file; `text` makes what goes into it, as WebVTT or as CSV with timecodes.
void MainWindow::write_list(
    const QString& title, const QString& name,
    const std::function<std::string(bool vtt, const std::string& first_code)>& text) {
  const Reel& reel = work_.document.reel();
  const QString file = QFileDialog::getSaveFileName(
      this, title, last_folder() + "/" + name + ".csv", tr("Lists (*.csv *.vtt)"));
  if (file.isEmpty()) return;
  const FilmInfo* info = reel.films.empty() ? nullptr : work_.films.info(reel.films.front());
  try {
    require_output(file.toStdString(), {source_files(reel), true});
    ReplacementFile out(file.toStdString());
    out.write(text(file.endsWith(".vtt"), info ? info->timecode : std::string()));
    out.commit();
    tell(tr("%1 is written.").arg(QFileInfo(file).fileName()), false);
  } catch (const Error& e) {
    tell(QString::fromUtf8(e.what()), true);
  }
}

void MainWindow::show_cutting(double share) {
  show_progress(cutting_, share, tr("Finding the cuts ..."), [this] {
    work_.films.cancel_cuts();
    tell(tr("No event was marked."), false);
  });
}

}  // namespace drevan::desktop
