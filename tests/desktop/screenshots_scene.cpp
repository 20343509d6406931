// SPDX-License-Identifier: GPL-3.0-or-later
// The Scene of the demo: a sound held on the picture, a gain as a line over its row.
#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <cstdlib>

#include "desktop/shots.h"
#include "pages/record/record_strip.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/sends.h"
#include "work/mix_watch.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {

namespace {

// A line is recorded against the picture; beside it the mix, and its row below.
void recording_and_mix(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  const QTemporaryDir folder;
  ::setenv("DREVAN_MICROPHONE", DREVAN_SOURCE_DIR "/demo/log-entry-night.flac", 1);
  w.document.set_target("podcast");
  edit_reel(w, edits::set_recording_format,
            RecordingFormat{false, false, folder.path().toStdString()});
  w.selection.select_clip(clip_named(w, "gallery-01"));
  window.scene().show_beside(ScenePage::Beside::mix);
  wait_for([&] { return w.mix_watch.mix() && w.mix_watch.fresh(); }, 60000);
  window.record_strip().open(true);
  RecordingHabits habits = recording_habits();
  habits.more = QStringList{"second simulated"};
  w.recording.set_habits(habits);
  wait_for([&] { return window.record_strip().meter(1) != nullptr; });
  window.record_strip().findChild<QCheckBox*>("lane_on 1")->setChecked(true);
  edit_reel(w, edits::set_line_text, clip_named(w, "gallery-01"),
            std::string("Twenty past nine. The light is on, and nobody has answered yet."));
  window.record_strip().findChild<QComboBox*>("record_as")->setCurrentIndex(1);
  window.record_strip().findChild<QPushButton*>("record")->click();
  wait(5200);
  shots.take("scene-recording");
  w.recording.stop();
  wait(100);
  wait_for([&] { return !w.recording.busy(); });
  window.record_strip().open(false);
  habits.more.clear();
  w.recording.set_habits(habits);
}

// Two who stand in the lamp room, from above; a send over its row, two clips that cross.
void plan_and_rows(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  ScenePage& page = window.scene();
  const ClipId night = clip_named(w, "night-two");
  const edits::PlacedClip nearer[] = {{night, 8.9}};
  w.document.change([&](const Reel& reel) { return edits::place_clips(reel, nearer); });
  const ClipId voice = clip_named(w, "lamp-room-04");
  w.selection.select_clip(voice);
  page.rows().show_line({.space = w.document.reel().spaces[1].id()});
  edit_reel(w, edits::draw_send, edits::Feeder{voice}, w.document.reel().spaces[1].id(),
            std::optional(Curve{{{0, -14}, {1.2, 0}, {3.4, 0}, {4.3, -20}}}));
  page.show_beside(ScenePage::Beside::plan);
  w.listening.seek(ReelTime{28.5});
  wait_for([&] { return !w.scene.busy() && w.scene.share_ready() >= 1; }, 60000);
  wait(1500);
  wait_for([&] { return page.film().exact(); });
  shots.take("scene-plan");
  page.rows().show_line({});
  while (w.document.history().undo_label() != "Move night-two") w.document.undo();
  w.document.undo();
}

}  // namespace

void the_scene(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  w.document.open(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel");
  window.show_place(MainWindow::Place::scene);
  const auto ready = [&] { return !w.scene.busy() && w.scene.share_ready() >= 1; };
  wait(200);
  wait_for(ready, 60000);
  const ClipId steps = clip_named(w, "stairs-02");
  w.selection.select_clip(steps);
  edit_reel(w, edits::hold_place, steps, 0.6, 0.6, -0.9);
  edit_reel(w, edits::hold_place, steps, 10.6, 10.6, 0.9);
  edit_reel(w, edits::draw_gain, steps,
            std::optional(Curve{{{0, -12}, {3, -3}, {8, -3}, {11.5, -14}}}));
  wait_for(ready, 60000);
  w.listening.seek(ReelTime{17.5});
  // Until the film's small pictures and the picture itself are there.
  wait(2500);
  wait_for([&] { return window.scene().film().exact(); });
  shots.take("scene");
  plan_and_rows(window, shots);
  recording_and_mix(window, shots);
}

}  // namespace drevan::desktop
