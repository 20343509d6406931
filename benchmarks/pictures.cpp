// SPDX-License-Identifier: GPL-3.0-or-later
// How long the picture of each step takes to be drawn, in the real window with the demo reel.
// Usage: pictures [STEP]     (QT_QPA_PLATFORM=offscreen does)
#include <fmt/format.h>

#include <QApplication>
#include <QTemporaryDir>
#include <algorithm>
#include <vector>

#include "desktop/shots.h"
#include "long_reel.h"
#include "pages/bench/step_editor.h"
#include "pictures/picture.h"
#include "steps/catalogue.h"
#include "theme/theme.h"

using namespace drevan;
using namespace drevan::bench;
using namespace drevan::desktop;

int main(int argc, char** argv) {
  qputenv("DREVAN_AUDIO", "simulated");
  QTemporaryDir home;
  for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"})
    qputenv(name, home.path().toUtf8());
  QApplication app(argc, argv);
  apply_theme(app, "timber");
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  if (!window.work().document.open(std::filesystem::path(DREVAN_SOURCE_DIR) /
                                   "demo/skerry-light.reel"))
    return 1;
  const Work& w = window.work();
  w.selection.select_clip(clip_named(w, "lamp-room-04"));
  wait(1500);
  fmt::print("{:<22} {:>9} {:>9}   {}\n", "picture of", "median ms", "most ms", "pixels");
  for (const StepType* type : catalogue()) {
    if (argc > 1 && type->id != argv[1]) continue;
    edit(w, edits::add_step, StepPlace{ChainOwner::clip, 0}, *type);
    wait(700);
    StepPicture* picture = window.bench().editor().picture();
    std::vector<double> ms;
    for (int i = 0; i < 31; ++i) {
      const auto then = Clock::now();
      picture->grab();
      ms.push_back(ms_since(then));
    }
    std::ranges::sort(ms);
    fmt::print("{:<22} {:>9.2f} {:>9.2f}   {} x {}\n", type->id, ms[15], ms.back(),
               picture->width(), picture->height());
    w.document.undo();
  }
  return 0;
}
