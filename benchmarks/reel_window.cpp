// SPDX-License-Identifier: GPL-3.0-or-later
// The long work of `reel` in the real window: how soon the shelf is there, how long a turned knob in a
// group's chain takes to be drawn, and until every clip in sight shows its new loudness.
// Usage: reel_window [--quick]     (QT_QPA_PLATFORM=offscreen does)
#include <sys/resource.h>

#include <QApplication>
#include <QMouseEvent>
#include <QScrollBar>
#include <QTemporaryDir>
#include <thread>

#include "long_reel.h"
#include "main_window.h"
#include "reel/edits/cuts.h"
#include "reel/files/json_file.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace {

using namespace drevan;
using namespace drevan::bench;
using namespace drevan::desktop;

bool wait_for(const std::function<bool()>& done, double most_s) {
  const auto then = Clock::now();
  while (!done()) {
    if (ms_since(then) > most_s * 1000) return false;
    QApplication::processEvents();
    std::this_thread::sleep_for(std::chrono::milliseconds(4));
  }
  return true;
}

std::vector<ClipId> in_sight(MainWindow& window) {
  std::vector<ClipId> out;
  Shelf& shelf = window.bench().shelf();
  for (const auto& c : window.work().document.reel().clips)
    if (shelf.viewport()->rect().toRectF().intersects(shelf.clip_rect(c.id))) out.push_back(c.id);
  return out;
}

double peak_mb() {
  rusage use{};
  ::getrusage(RUSAGE_SELF, &use);
  return static_cast<double>(use.ru_maxrss) / 1024;
}

// Opening until the shelf is drawn with the waveforms of all clips in sight.
double open_ms(const std::filesystem::path& file, std::unique_ptr<MainWindow>& window) {
  window.reset();
  window = std::make_unique<MainWindow>();
  window->resize(1280, 800);
  window->show();
  QApplication::processEvents();
  const auto then = Clock::now();
  if (!window->work().document.open(file)) throw std::runtime_error("the reel does not open");
  wait_for(
      [&] {
        return std::ranges::all_of(in_sight(*window), [&](ClipId id) {
          return window->work().shelf.source_peaks(*window->work().document.reel().find(id)) !=
                 nullptr;
        });
      },
      600);
  window->repaint();
  return ms_since(then);
}

double median(std::vector<double> v) {
  std::ranges::sort(v);
  return v[v.size() / 2];
}

// What is done to the shelf, from the key or the mouse's move to the picture.
void shelf_at_work(MainWindow& window) {
  Shelf& shelf = window.bench().shelf();
  const Work& work = window.work();
  const auto timed = [&](const char* what, int times, const std::function<void(int)>& act) {
    std::vector<double> ms;
    for (int i = 0; i < times; ++i) {
      const auto then = Clock::now();
      act(i);
      QApplication::sendPostedEvents(nullptr, QEvent::UpdateRequest);
      ms.push_back(ms_since(then));
      QApplication::processEvents(QEventLoop::AllEvents, 4);
    }
    fmt::print("  {:<28} {:5.1f} ms, {:5.1f} at worst\n", what, median(ms),
               *std::ranges::max_element(ms));
  };
  fmt::print("The shelf with {} clips, medians (goals: 16, and 40 at worst):\n",
             work.document.reel().clips.size());
  const QStringList words{"t",      "ta",      "tak",       "take", "take-",
                          "take-0", "take-04", "speaker 3", "",     "x"};
  timed("search", 40, [&](int i) { shelf.set_filter(words[i % words.size()]); });
  shelf.set_filter({});
  timed("fold and unfold", 40,
        [&](int i) { shelf.fold(GroupId::numbered(i / 2 % 8 + 1), i % 2 == 0); });
  timed("mark all", 20, [&](int) { shelf.mark_all(); });
  QKeyEvent escape(QEvent::KeyPress, Qt::Key_Escape, Qt::NoModifier);
  QApplication::sendEvent(&shelf, &escape);
  const auto mouse = [&](QEvent::Type type, QPointF at) {
    QMouseEvent e(type, at, shelf.viewport()->mapToGlobal(at),
                  type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton, Qt::LeftButton, {});
    QApplication::sendEvent(shelf.viewport(), &e);
  };
  mouse(QEvent::MouseButtonPress, {100, 60});
  timed("drag", 60, [&](int i) { mouse(QEvent::MouseMove, QPointF(100, 80 + i * 8)); });
  timed("scroll", 60, [&](int i) { shelf.verticalScrollBar()->setValue(i * 90); });
  timed("drop", 1, [&](int) { mouse(QEvent::MouseButtonRelease, {100, 300}); });
  timed("split", 20, [&](int) {
    work.document.change([&](const Reel& reel) {
      const ClipTime at[] = {{1.0}};
      return edits::split(reel, work.selection.clip_id(), at);
    });
  });
}

}  // namespace

int main(int argc, char** argv) {
  const QTemporaryDir home;
  for (const char* name : {"XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"})
    qputenv(name, home.path().toUtf8());
  qputenv("DREVAN_AUDIO", "simulated");
  if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM") && qEnvironmentVariableIsEmpty("DISPLAY"))
    qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication app(argc, argv);
  app.setApplicationName("drevan-benchmark");
  app.setOrganizationName("drevan-benchmark");
  apply_theme(app, "timber");
  const bool quick = argc > 1 && std::string(argv[1]) == "--quick";
  const double hours = quick ? 2 : 12;
  const test::TempFolder folder;
  const auto file = folder / "long.reel";
  save_reel(made_reel(folder, 500, hours), file);

  std::unique_ptr<MainWindow> window;
  const double first = open_ms(file, window);
  // All sources' waveforms are kept for the next time.
  wait_for(
      [&] {
        return std::ranges::all_of(window->work().document.reel().clips, [&](const Clip& c) {
          return window->work().shelf.source_peaks(c) != nullptr;
        });
      },
      900);
  const double again = open_ms(file, window);
  fmt::print(
      "500 clips, 8 groups, {:.0f} hours: the shelf is there after {:.0f} ms the first time, "
      "{:.0f} ms later (goal: 1000)\n",
      hours, first, again);
  std::fflush(stdout);

  const Work& work = window->work();
  const auto sight = in_sight(*window);
  const auto fresh = [&] {
    return std::ranges::all_of(sight, [&](ClipId id) { return work.shelf.clip_levels_fresh(id); });
  };
  const auto then = Clock::now();
  wait_for(fresh, 300);
  fmt::print("{} clips in sight: all measured {:.2f} s after opening\n", sight.size(),
             ms_since(then) / 1000 + again / 1000);
  wait_for([&] { return work.measurements.levels_fresh() && !work.measurements.measuring(); }, 60);

  // A knob in the group's chain is turned: from the mouse's move to the picture.
  const StepId step = work.document.reel().at(work.selection.clip()->group).chain.steps.at(0).id;
  work.selection.select_step(step);
  QApplication::processEvents();
  std::vector<double> drawn, edited;
  for (int i = 0; i < 120; ++i) {
    Settings settings = work.selection.step(step)->settings;
    settings.values[1] = -22 - 0.02 * i;
    const auto turn = Clock::now();
    work.document.change([&](const Reel& reel) {
      return edits::set_settings(reel, work.selection.clip_id(), step, settings, "Turn");
    });
    edited.push_back(ms_since(turn));
    QApplication::sendPostedEvents(nullptr, QEvent::UpdateRequest);
    drawn.push_back(ms_since(turn));
    QApplication::processEvents(QEventLoop::AllEvents, 4);
  }
  fmt::print(
      "An edit in a group's chain is drawn after {:.1f} ms, {:.1f} of them the edit itself "
      "(medians of {}; largest {:.1f}; goal: 16)\n",
      median(drawn), median(edited), drawn.size(), *std::ranges::max_element(drawn));
  const auto last = Clock::now();
  wait_for(fresh, 60);
  fmt::print("All {} values in sight are new {:.2f} s after the last edit (goal: 2)\n",
             sight.size(), ms_since(last) / 1000);

  shelf_at_work(*window);

  const auto begin = Clock::now();
  work.document.save(file);
  fmt::print("Saving from the window: {:.0f} ms (goal: 200)\n", ms_since(begin));
  fmt::print("Peak memory {:.0f} MB (goal: 1000)\n", peak_mb());
  window.reset();
  return 0;
}
