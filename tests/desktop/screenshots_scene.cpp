// The Scene of the demo: a sound held on the picture, a gain as a line over its row.
#include "desktop/shots.h"
#include "reel/scene_curves.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {

void the_scene(MainWindow& window, Shots& shots) {
  const Work& w = window.work();
  w.document.open(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel");
  window.show_place(MainWindow::Place::scene);
  const auto ready = [&] { return !w.scene.busy() && w.scene.share_ready() >= 1; };
  wait(200);
  wait_for(ready, 60000);
  const int steps = clip_named(w, "stairs-02");
  w.selection.select_clip(steps);
  edit_reel(w, edits::hold_place, steps, 0.6, 0.6, -0.9);
  edit_reel(w, edits::hold_place, steps, 10.6, 10.6, 0.9);
  edit_reel(w, edits::draw_gain, steps,
            std::optional(Curve{{{0, -12}, {3, -3}, {8, -3}, {11.5, -14}}}));
  wait_for(ready, 60000);
  w.listening.seek_s(17.5);
  // Until the film's small pictures and the picture itself are there.
  wait(2500);
  wait_for([&] { return window.scene().film().exact(); });
  shots.take("scene");
}

}  // namespace drevan::desktop
