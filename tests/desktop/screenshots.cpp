// Makes the pictures in docs/screenshots from the demo reel. Usage: screenshots FOLDER
#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTimer>
#include <cstdio>
#include <functional>

#include "main_window.h"
#include "steps/catalogue.h"
#include "theme/theme.h"

namespace {

using namespace drevan;
using namespace drevan::desktop;

void wait(int ms) {
  QEventLoop loop;
  QTimer::singleShot(ms, &loop, &QEventLoop::quit);
  loop.exec();
}

void wait_for(const std::function<bool()>& done, int most_ms = 20000) {
  for (int i = 0; i < most_ms / 20 && !done(); ++i) wait(20);
}

int clip_named(const Workspace& w, const std::string& name) {
  for (const auto& c : w.reel().clips)
    if (c.name == name) return c.id;
  return 0;
}

class Shots {
 public:
  Shots(MainWindow& window, QString folder) : window_(window), folder_(std::move(folder)) {}

  void settle() {
    Workspace& w = window_.workspace();
    wait(150);
    wait_for([&] { return !w.measuring() && w.levels_fresh(); });
    wait(100);
  }
  void take(const QString& name) {
    QApplication::processEvents();
    const QString file = folder_ + "/" + name + ".png";
    if (!window_.grab().save(file)) std::fprintf(stderr, "cannot write %s\n", qPrintable(file));
    std::printf("%s\n", qPrintable(file));
  }
  void step(int index) {
    window_.workspace().select_step(StepPlace{ChainOwner::clip, index});
    settle();
  }
  // A moment of playing, so that live pictures live.
  void play(double from_s, int ms) {
    Player& p = window_.workspace().player();
    p.seek(static_cast<Samples>(from_s * 48000));
    window_.bench().foot().toggle_play();
    wait(ms);
  }
  void stop() {
    window_.workspace().player().pause();
    wait(200);
  }

 private:
  MainWindow& window_;
  QString folder_;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  const QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  QApplication app(argc, argv);
  app.setApplicationName("drevan-screenshots");
  app.setOrganizationName("drevan-screenshots");
  apply_theme(app, argc > 2 ? argv[2] : "timber");
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  Workspace& w = window.workspace();
  w.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel");
  Shots shots(window, argv[1]);
  shots.settle();
  wait_for([&] {
    for (const auto& c : w.reel().clips)
      if (!w.source_peaks(c) || !w.clip_loudness(c.id)) return false;
    return true;
  });

  shots.step(3);
  shots.play(6.0, 900);
  shots.take("bench-compressor");
  shots.stop();
  shots.step(1);
  shots.play(1.6, 1200);
  shots.take("bench-noise-reduction");
  shots.stop();
  shots.step(4);
  shots.take("bench-normalise");
  shots.step(2);
  shots.take("bench-cut");

  w.add_step(ChainOwner::clip, 3, *find_step("equaliser"));
  shots.settle();
  window.bench().editor().use_starting_point(0);
  window.bench().editor().picture()->set_page(4);
  shots.settle();
  shots.take("bench-equaliser");
  w.add_step(ChainOwner::clip, 6, *find_step("gain"));
  Settings s = w.step(*w.selected())->settings;
  s.values[0] = 6;
  w.set_settings(*w.selected(), s, "gain");
  shots.settle();
  shots.take("bench-gain-over");
  while (w.history().can_undo()) w.undo();

  w.move_step({ChainOwner::clip, 1}, {ChainOwner::clip, 4});
  shots.settle();
  shots.take("bench-advice");
  while (w.history().can_undo()) w.undo();

  // The other editors, at work on the voice.
  for (const char* id : {"de-ess", "gate", "limiter", "octave-bands"}) {
    w.add_step(ChainOwner::clip, 4, *find_step(id));
    shots.settle();
    window.bench().editor().use_starting_point(0);
    shots.settle();
    shots.play(1.6, 3000);
    shots.take(QString("bench-") + id);
    shots.stop();
    while (w.history().can_undo()) w.undo();
  }
  window.bench().mark_room_tone();
  window.bench().mark_room_tone();

  // A batch with everything of Ines through the five steps.
  w.select_clip(clip_named(w, "lamp-room-04"));
  w.copy_chain_to({clip_named(w, "stairs-02"), clip_named(w, "stairs-03"), clip_named(w, "log-entry-night"),
                   clip_named(w, "opening"), clip_named(w, "night-two")});
  shots.settle();
  window.show_place(1);
  const QTemporaryDir out;
  window.batch().set_folder(out.path());
  window.batch().render();
  wait_for([&] { return !window.batch().rendering(); }, 60000);
  window.batch().set_folder("/home/ines/skerry-light/rendered");
  wait(200);
  shots.take("batch");
  return 0;
}
