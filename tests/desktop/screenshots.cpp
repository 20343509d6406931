// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the pictures in docs/screenshots from the demo reel.
// Usage: screenshots FOLDER [timber|birch] [own-work|scene]     own-work: those of cutting and
// start alone
#include <QApplication>
#include <QDialog>
#include <QKeyEvent>
#include <QListWidget>
#include <QMouseEvent>
#include <QPainter>
#include <QSettings>
#include <QSplitter>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTimer>
#include <cstdio>
#include <functional>

#include "dialogs/sound_sheet.h"
#include "work/recipe_files.h"
#include "dialogs/import_sheet.h"
#include "editing.h"
#include "shots.h"
#include "main_window.h"
#include "pages/bench/recipe_drawer.h"
#include "pages/bench/recipe_picture.h"
#include "steps/catalogue.h"
#include "theme/theme.h"
#include "dialogs/versions_dialog.h"
#include "work/document.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/mix_sum.h"
#include "work/printing.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace {

using namespace drevan;
using namespace drevan::desktop;

// A group's chain behind the clip's, the reel's behind that; one clip of the group sits out of a step.
void three_levels(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  shots.settle();
  edit(w, edits::add_step, StepPlace{ChainOwner::group, 0}, *find_step("de-ess"));
  edit(w, edits::add_step, StepPlace{ChainOwner::group, 1}, *find_step("normalise"));
  edit(w, edits::add_step, StepPlace{ChainOwner::reel, 0}, *find_step("limiter"));
  w.selection.select_clip(clip_named(w, "stairs-02"));
  shots.settle();
  edit(w, edits::sit_out, step_at(w, ChainOwner::group, 0), true);
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  w.selection.select_step(step_at(w, ChainOwner::group, 1));
  edit(
      w, edits::set_settings, step_at(w, ChainOwner::group, 1),
      [&] {
        Settings s = w.selection.step(step_at(w, ChainOwner::group, 1))->settings;
        s.values[static_cast<size_t>(parameter_index(*find_step("normalise"), "over"))] = 1;
        return s;
      }(),
      "One gain for the group");
  shots.settle();
  wait(3000);  // the shelf's new loudness
  shots.take("bench-three-levels");
  while (w.document.history().can_undo()) w.document.undo();
}

void versions_and_recipes(MainWindow& window, Shots& shots, const QString& folder,
                          std::vector<QPixmap> dialogs) {
  const Work& w = window.work();
  const QTemporaryDir work;
  // A copy of the reel beside the real sources, so that printed versions lie elsewhere.
  w.document.save(work.filePath("skerry-light.reel").toStdString());
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  shots.settle();
  const auto printed = [&] {
    wait(50);
    wait_for([&] { return !w.printing.busy(); });
    shots.settle();
  };
  w.printing.print(ClipRange{1.5, 4.0});
  printed();
  edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("de-ess"));
  w.printing.print(ClipRange{5.0, 7.0});
  printed();
  edit(w, edits::go_to_version, 1);
  edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("ride"));
  w.printing.print(std::nullopt);
  printed();
  window.versions().show();
  wait(200);
  dialogs.push_back(window.versions().grab());
  window.versions().hide();

  RecipeDrawer& recipes = window.recipes();
  recipes.set_open(true);
  recipes.list().setCurrentRow(1);
  // Rested upon, it is drawn in the level path.
  const QPointF at = recipes.list().visualItemRect(recipes.list().item(1)).center();
  QMouseEvent move(QEvent::MouseMove, at, recipes.list().viewport()->mapToGlobal(at), Qt::NoButton,
                   Qt::NoButton, {});
  QApplication::sendEvent(recipes.list().viewport(), &move);
  shots.settle();
  wait_for([&] { return recipes.picture().shown(); });
  wait(200);
  shots.take("recipes");
  recipes.set_open(false);

  SoundSheet sound(w, &window, [] {
    return std::vector<SoundDevice>{{"pulse", "Desk, two loudspeakers", 2, true},
                                    {"pulse", "Headphones", 2, false},
                                    {"jack", "Studio", 8, true}};
  });
  sound.show();
  wait(500);
  dialogs.push_back(sound.grab());
  sound.hide();

  Recipe changed = own_recipes()[0];
  changed.chain.steps[1].settings.values[0] = 14;
  changed.chain.steps.push_back(make_step("limiter"));
  Recipe fresh{"Ines on the stairs", "near, breathing", own_recipes()[3].chain, {"Ines"}};
  std::vector<Recipe> in{changed, fresh, own_recipes()[6]};
  const auto zip = std::filesystem::path(work.path().toStdString()) / "from-the-coast-station.zip";
  export_zip(in, zip);
  const std::vector<std::filesystem::path> what{zip};
  ImportSheet sheet(look_at_incoming(what, read_library(library_folder())), &window);
  sheet.show();
  wait(200);
  dialogs.push_back(sheet.grab());
  sheet.hide();
  side_by_side(dialogs, folder + "/dialogs.png");
  w.document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel");
  shots.settle();
}

// A boat that passes from left to right: a curve, while it plays.
void curve(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  w.selection.select_clip(clip_named(w, "boat-pass"));
  shots.settle();
  edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("pan"));
  shots.settle();
  const double end = w.selection.clip_seconds();
  edit(w, edits::set_curve, step_at(w, ChainOwner::clip, 0), 0,
       std::optional<Curve>{{{{0.1 * end, -85, CurveShape::smooth},
                              {0.45 * end, -20},
                              {0.6 * end, 25, CurveShape::smooth},
                              {0.9 * end, 90}}}});
  shots.settle();
  window.bench().lane().setFocus();
  QKeyEvent choose(QEvent::KeyPress, Qt::Key_Right, Qt::ControlModifier);
  for (int i = 0; i < 3; ++i) QApplication::sendEvent(&window.bench().lane(), &choose);
  shots.play(0.3 * end, 700);
  shots.take("bench-curve");
  shots.stop();
  while (w.document.history().can_undo()) w.document.undo();
}

// The sum of all clips through a mix chain that meets a target.
void mix(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  w.document.set_target("podcast");
  w.mix_sum.open();
  wait_for([&] { return w.selection.clip_id() == mix_clip_id; }, 60000);
  shots.settle();
  edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("compressor"));
  shots.settle();
  window.bench().editor().use_starting_point(0);
  shots.settle();
  w.jobs.meet_target();
  wait_for([&] { return w.selection.clip()->chain.steps.size() > 1; });
  shots.step(0);
  wait(500);
  shots.play(20, 900);
  shots.take("bench-mix");
  shots.stop();
  while (w.document.history().can_undo()) w.document.undo();
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  const QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  QApplication app(argc, argv);
  app.setApplicationName("drevan-screenshots");
  app.setOrganizationName("drevan-screenshots");
  apply_theme(app, argc > 2 ? argv[2] : "timber");
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  const Work& w = window.work();
  w.document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel");
  Shots shots(window, argv[1]);
  shots.settle();
  wait_for([&] {
    for (const auto& c : w.document.reel().clips)
      if (!w.shelf.source_peaks(c) || !w.shelf.clip_loudness(c.id)) return false;
    return true;
  });

  if (argc > 3) {
    std::string_view(argv[3]) == "scene" ? the_scene(window, shots)
                                         : own_work(window, shots, argv[1]);
    return 0;
  }
  curve(window, shots);
  mix(window, shots);
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  shots.settle();
  shots.step(3);
  shots.play(6.0, 900);
  shots.take("bench-compressor");
  shots.stop();
  shots.step(1);
  shots.play(1.6, 1200);
  shots.take("bench-noise-reduction");
  shots.stop();

  while (w.document.history().can_undo()) w.document.undo();

  // The other editors, at work on the voice; the hum on the stairs.
  // Those whose window looks like the others' share a sheet.
  const auto sheet = [&](std::initializer_list<const char*> ids, const QString& name) {
    std::vector<QPixmap> editors;
    for (const char* id : ids) {
      if (std::string_view(id) == "width") w.selection.select_clip(clip_named(w, "boat-pass"));
      edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step(id));
      shots.settle();
      // The canyon of the delay has three echoes, many as one four copies; the last of the
      // compressor's holds the gain; an old wire, a door ajar; a response drawn out; of the others
      // the first.
      const std::string_view name_of_step = id;
      const int point =
          name_of_step == "delay"         ? 1
          : name_of_step == "doubler"     ? 2
          : name_of_step == "loudspeaker" ? 4
          : name_of_step == "acoustics"   ? 6
          : name_of_step == "convolution" ? 3
          : name_of_step == "compressor" || name_of_step == "telephone" || name_of_step == "wall"
              ? 2
              : 0;
      if (w.selection.step() && !w.selection.step()->type->starting_points.empty())
        window.bench().editor().use_starting_point(point);
      shots.settle();
      if (name_of_step == "vocoder") shots.play(7.5, 900);
      if (name_of_step == "pitch") wait_for([&] { return w.measurements.course_whole(); });
      editors.push_back(window.bench().editor().grab());
      if (name_of_step == "vocoder") shots.stop();
      while (w.document.history().can_undo()) w.document.undo();
      w.selection.select_clip(clip_named(w, "lamp-room-04"));
    }
    in_two_columns(editors, QString(argv[1]) + "/" + name);
  };
  sheet({"equaliser", "cut", "normalise", "de-ess", "gate", "limiter", "octave-bands", "saturation",
         "pan", "width", "speed", "ride", "multiband-compressor"},
        "editors.png");
  sheet({"tremolo", "wah", "chorus", "flanger", "phaser", "ring-modulator", "delay", "distortion"},
        "effects.png");
  sheet({"pitch", "doubler", "vocoder", "reverb", "compressor", "stretch", "telephone", "wall",
         "loudspeaker", "acoustics", "convolution"},
        "voices.png");

  w.selection.select_clip(clip_named(w, "stairs-02"));
  edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("hum-removal"));
  shots.settle();
  window.bench().editor().use_starting_point(0);
  shots.settle();
  shots.play(1.6, 3000);
  shots.take("bench-hum-removal");
  shots.stop();
  while (w.document.history().can_undo()) w.document.undo();
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  w.document.set_target("podcast");
  shots.step(1);
  // More of the window for the scope, as by dragging the splitter.
  if (auto* parts = window.findChild<QSplitter*>("bench_parts")) parts->setSizes({290, 236, 184});
  window.bench().show_spectrogram(true);
  shots.settle();
  wait_for([&] { return !window.bench().scope().spectrogram().busy(); });
  shots.take("bench-spectrogram");
  window.bench().show_spectrogram(false);
  if (auto* parts = window.findChild<QSplitter*>("bench_parts")) parts->setSizes({204, 252, 254});
  window.bench().compare_blind();
  wait(400);
  std::vector<QPixmap> dialogs;
  if (auto* dialog = window.findChild<QDialog*>()) {
    dialogs.push_back(dialog->grab());
    dialog->reject();
  }
  shots.stop();
  three_levels(window, shots);
  versions_and_recipes(window, shots, argv[1], dialogs);

  // A batch with everything of Ines through the five steps.
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  edit(w, edits::copy_chain,
       std::vector{clip_named(w, "stairs-02"), clip_named(w, "stairs-03"),
                   clip_named(w, "log-entry-night"), clip_named(w, "opening"),
                   clip_named(w, "night-two")});
  shots.settle();
  w.document.set_target("podcast");
  edit(w, edits::add_step, StepPlace{ChainOwner::reel, 0}, *find_step("normalise"));
  edit(w, edits::set_settings, step_at(w, ChainOwner::reel, 0),
       settings_of(*find_step("normalise"), {"", "", {{"measure", 2}, {"target_db", -16}}}),
       "To -16 LUFS");
  edit(w, edits::add_step, StepPlace{ChainOwner::reel, 1}, *find_step("limiter"));
  shots.settle();
  window.show_place(MainWindow::Place::batch);
  const QTemporaryDir out;
  window.batch().set_folder(out.path());
  window.batch().render();
  wait_for([&] { return !window.batch().rendering(); }, 60000);
  window.batch().set_folder("/home/ines/skerry-light/rendered");
  wait(200);
  shots.take("batch");
  window.show_place(MainWindow::Place::bench);
  own_work(window, shots, argv[1]);
  the_scene(window, shots);
  return 0;
}
