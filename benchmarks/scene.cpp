// SPDX-License-Identifier: GPL-3.0-or-later
// The Scene at work in the real window: 60 clips in four minutes, ten at a time, five steps each,
// two spaces, a film in 1080p24. How soon playing begins, whether sound is ever missing while a
// curve is drawn and the window redraws, how far the picture is from the sound, how fast the mix
// renders; then 500 clips in two hours, opened a second time.
// Usage: scene [--quick | --rows | SECONDS to play]     --rows: the 500 clips alone
// (QT_QPA_PLATFORM=offscreen DREVAN_AUDIO=simulated)
#include <fmt/format.h>
#include <sys/resource.h>

#include <QApplication>
#include <QElapsedTimer>
#include <algorithm>
#include <thread>

#include "batch/mix.h"
#include "main_window.h"
#include "measured.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "support/make_film.h"
#include "support/sounds.h"
#include "support/steps.h"
#include "theme/theme.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"
#include "work/selection.h"

namespace {

using namespace drevan;
using namespace drevan::bench;
using namespace drevan::desktop;

bool wait_for(const std::function<bool()>& done, double most_s) {
  QElapsedTimer timer;
  timer.start();
  while (!done()) {
    if (timer.elapsed() > most_s * 1000) return false;
    QApplication::processEvents();
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  }
  return true;
}

double peak_mb() {
  rusage use{};
  ::getrusage(RUSAGE_SELF, &use);
  return static_cast<double>(use.ru_maxrss) / 1024;
}

// `rows` groups whose clips follow each other without a gap, so that as many sound at once.
Reel made_reel(const test::TempFolder& folder, int clips, int rows, double all_s, int steps) {
  Reel reel;
  reel.name = fmt::format("Scene of {} clips", clips);
  const int per_row = clips / rows;
  const double each_s = all_s / per_row;
  AudioBuffer voice = test::words(0.3, each_s);
  test::add(voice, test::noise(0.002, each_s, 3), 0);
  for (int i = 0; i < clips; ++i) {
    const auto file = folder / fmt::format("voice-{}.wav", i % 20);
    if (i < 20) test::write_wav(file, voice);
    const ClipId id = add_clip(reel, examine_source(file), fmt::format("Row {}", i % rows + 1));
    Clip& clip = *reel.find(id);
    clip.name = fmt::format("voice-{}", i + 1);
    clip.place = ReelTime{each_s * (i / rows)};
    clip.room_tone = ClipRange{0, 0.6};
    if (steps == 0) continue;
    clip.chain.steps = {test::with("noise-reduction", {{"depth_db", 9}}),
                        test::with("cut", {{"low_hz", 80}}), make_step("equaliser"),
                        test::with("compressor", {{"threshold_db", -20}}),
                        test::with("pan", {{"pan_pct", 10.0 * (i % 10) - 45}})};
  }
  settle_step_ids(reel);
  return reel;
}

std::filesystem::path film_in(const test::TempFolder& folder, int seconds) {
  test::FilmOptions o;
  o.width = 1920;
  o.height = 1080;
  o.frames_per_s = 24;
  o.frames = 24 * seconds;
  o.paint = [](int frame, int x, int y) {
    return ((x + 6 * frame) / 90 + y / 90) % 2 == 0 ? 60.0 : 180.0;
  };
  test::make_film(folder / "film.mkv", o);
  return folder / "film.mkv";
}

bool ready(const Work& work) { return work.scene.share_ready() >= 1 && !work.scene.busy(); }

void play(MainWindow& window, double seconds) {
  const Work& work = window.work();
  Player& player = work.listening.player();
  std::vector<double> starts;
  for (const double at : {0.0, 61.0, 130.5, 200.0}) {
    work.listening.seek(ReelTime{at});
    wait_for([&] { return player.caught_up(); }, 5);
    QElapsedTimer timer;
    timer.start();
    player.play();
    const Samples from = player.position();
    wait_for([&] { return player.position() > from; }, 10);
    starts.push_back(static_cast<double>(timer.nsecsElapsed()) / 1e6);
    player.pause();
    wait_for([&] { return !player.playing(); }, 5);
  }
  fmt::print("playing begins within {:.0f} ms at the most, {:.0f} at the best (asked: 300)\n",
             std::ranges::max(starts), std::ranges::min(starts));
  work.selection.select_clip(work.document.reel().clips[3].id);
  work.listening.seek(ReelTime{2});
  const long before = player.underruns();
  player.play();
  wait_for([&] { return player.playing(); }, 5);
  QElapsedTimer timer;
  timer.start();
  std::vector<double> off;
  double db = 0;
  int redraws = 0;
  ScenePage& page = window.scene();
  while (timer.elapsed() < seconds * 1000 && player.playing()) {
    QApplication::processEvents();
    // A hand on the gain's line, and one that zooms.
    db = db < -20 ? 0 : db - 0.5;
    if (redraws % 4 == 0)
      work.document.change([&](const Reel& reel) {
        return edits::draw_gain(reel, work.selection.clip_id(), Curve{{{0, 0}, {2, db}, {4, 0}}});
      });
    page.rows().zoom(redraws % 40 < 20 ? 1.02 : 1 / 1.02, page.rows().playhead());
    page.rows().viewport()->repaint();
    ++redraws;
    const double shown = page.film().shown_s(), now = page.rows().playhead();
    if (shown >= 0) off.push_back(now - shown);
    std::this_thread::sleep_for(std::chrono::milliseconds(12));
  }
  player.pause();
  std::ranges::sort(off);
  const auto within =
      std::ranges::count_if(off, [](double d) { return d > -1 / 24.0 && d < 2 / 24.0; });
  fmt::print(
      "{:.0f} s played, {} redraws: {} underruns (asked: 0); picture within one of the sound in "
      "{:.1f} % "
      "of {} looks, worst {:.0f} ms late\n",
      static_cast<double>(timer.elapsed()) / 1000, redraws, player.underruns() - before,
      100.0 * static_cast<double>(within) / static_cast<double>(std::max<size_t>(1, off.size())),
      off.size(), off.empty() ? 0 : off.back() * 1000);
}

void four_minutes(const test::TempFolder& folder, double seconds) {
  Reel reel = made_reel(folder, 60, 10, 240, 5);
  const auto add = [&](const edits::Edit& edit) { reel = edit.next; };
  add(edits::add_film(reel, film_in(folder, 240), {}));
  for (const char* name : {"Hall", "Room"})
    add(edits::add_space(reel, name, {{test::with("reverb", {{"mix_pct", 100}})}}));
  for (int g = 0; g < 6; ++g)
    add(edits::set_send(reel, reel.groups[static_cast<size_t>(g)].id,
                        reel.spaces[static_cast<size_t>(g % 2)].id(), -12));
  save_reel(reel, folder / "scene.reel");
  auto window = std::make_unique<MainWindow>();
  window->resize(1280, 800);
  window->show();
  window->work().document.open(folder / "scene.reel");
  QElapsedTimer timer;
  timer.start();
  window->show_place(MainWindow::Place::scene);
  wait_for([&] { return ready(window->work()); }, 300);
  fmt::print("60 clips made ready in {:.1f} s the first time\n",
             static_cast<double>(timer.elapsed()) / 1000);
  play(*window, seconds);
  fmt::print("memory at the most {:.0f} MB (asked: 1200)\n", peak_mb());
  window.reset();
  FindingStore store;
  const CancelToken never;
  BatchOptions options;
  options.folder = folder / "out";
  timer.start();
  const auto done = render_mix(reel, options, {}, store, never);
  const double took = static_cast<double>(timer.elapsed()) / 1000;
  fmt::print("mix of 240 s rendered in {:.1f} s: {:.1f} times real time (asked: 20)\n", took,
             240 / took);
  if (done.files.empty()) throw std::runtime_error("no mix");
}

void two_hours(const test::TempFolder& folder, int clips) {
  const Reel reel = made_reel(folder, clips, 10, 7200.0 * clips / 500, 0);
  save_reel(reel, folder / "long.reel");
  for (const char* time : {"first", "second"}) {
    auto window = std::make_unique<MainWindow>();
    window->resize(1280, 800);
    window->show();
    QApplication::processEvents();
    QElapsedTimer timer;
    timer.start();
    window->work().document.open(folder / "long.reel");
    window->show_place(MainWindow::Place::scene);
    wait_for([&] { return ready(window->work()); }, 900);
    fmt::print("{} clips in {:.0f} min: open with all silhouettes in {:.2f} s the {} time\n", clips,
               120.0 * clips / 500, static_cast<double>(timer.elapsed()) / 1000, time);
    // How long a redraw takes while one zooms from all to a second.
    auto& rows = window->scene().rows();
    std::vector<double> draws;
    for (int i = 0; i < 60; ++i) {
      rows.zoom(1.15, 1800.0 * clips / 500);
      timer.start();
      rows.viewport()->repaint();
      draws.push_back(static_cast<double>(timer.nsecsElapsed()) / 1e6);
    }
    std::ranges::sort(draws);
    fmt::print("  a redraw takes {:.1f} ms in the middle, {:.1f} at the most (asked: 16.7)\n",
               draws[draws.size() / 2], draws.back());
  }
}

}  // namespace

int main(int argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", qEnvironmentVariable("QT_QPA_PLATFORM", "offscreen").toUtf8());
  qputenv("DREVAN_AUDIO", "simulated");
  QApplication app(argc, argv);
  QApplication::setApplicationName("drevan-bench");
  apply_theme(app, "timber");
  const bool quick = argc > 1 && std::string_view(argv[1]) == "--quick";
  const bool rows = argc > 1 && std::string_view(argv[1]) == "--rows";
  const double seconds = quick ? 10 : argc > 1 ? std::atof(argv[1]) : 225;
  const test::TempFolder folder;
  qputenv("XDG_CACHE_HOME", (folder / "cache").string().c_str());
  if (!rows) four_minutes(folder, seconds);
  two_hours(folder, quick ? 100 : 500);
}
