// SPDX-License-Identifier: GPL-3.0-or-later
// A hand on the real window: mouse and keys as a user's, ears on the simulated device.
#pragma once

#include <gtest/gtest.h>

#include <QDir>
#include <QMenu>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>
#include <functional>
#include <memory>

#include "editing.h"
#include "main_window.h"
#include "pages/bench/step_chooser.h"
#include <QListWidget>
#include "support/sounds.h"
#include "work/recipe_files.h"

namespace drevan::desktop {

/// Answers the sheet that opens in `parent` within the next seconds; what is returned tells when that was done.
template <class Sheet>
std::shared_ptr<bool> answer_sheet(QWidget& parent, std::function<void(Sheet&)> how) {
  auto answered = std::make_shared<bool>(false);
  auto* timer = new QTimer(&parent);
  QObject::connect(timer, &QTimer::timeout, timer,
                   [timer, answered, how = std::move(how), &parent] {
                     auto* sheet = parent.findChild<Sheet*>();
                     if (!sheet || !sheet->isVisible()) return;
                     timer->stop();
                     timer->deleteLater();
                     how(*sheet);
                     *answered = true;
                   });
  timer->start(10);
  return answered;
}

class Driver {
 public:
  Driver() {
    // What earlier tests left to a reel of the same name.
    QDir(QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation) + "/drevan/reels")
        .removeRecursively();
    window.resize(1280, 800);
    window.show();
    EXPECT_TRUE(QTest::qWaitForWindowExposed(&window));
    take_keys();
  }

  const Work& work() { return window.work(); }
  Bench& bench() { return window.bench(); }
  SimulatedDevice& device() {
    return dynamic_cast<SimulatedDevice&>(work().listening.player().device());
  }

  template <class... Args>
  bool edit(const Args&... args) {
    return desktop::edit(work(), args...);
  }
  template <class... Args>
  bool edit_reel(const Args&... args) {
    return desktop::edit_reel(work(), args...);
  }
  StepId step_at(int index) { return desktop::step_at(work(), ChainOwner::clip, index); }
  /// Of the selected step in its chain; -1: none.
  int selected_index() {
    const auto place =
        place_of(work().document.reel(), *work().selection.clip(), work().selection.step_id());
    return place ? place->index : -1;
  }
  void preview(const Chain& chain, bool append) {
    work().document.preview([&](const Reel& reel) {
      return edits::use_recipe(reel, work().selection.clip_id(), ChainOwner::clip,
                               {"", "", chain, {}}, append);
    });
  }

  bool wait_for(const std::function<bool()>& done, int ms = 20000) {
    return QTest::qWaitFor(done, ms);
  }
  /// Until the level path shows the chain as it is.
  bool settle() {
    QTest::qWait(30);
    return wait_for(
        [&] { return !work().measurements.measuring() && work().measurements.levels_fresh(); });
  }
  bool open_demo() {
    return work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel") && settle();
  }
  ClipId clip_named(const std::string& name) {
    for (const auto& c : work().document.reel().clips)
      if (c.name == name) return c.id;
    return 0;
  }
  void click(QWidget* w, QPointF at, Qt::KeyboardModifiers keys = {}) {
    QTest::mouseClick(w, Qt::LeftButton, keys, at.toPoint());
  }
  void click_clip(const std::string& name) {
    Shelf& shelf = bench().shelf();
    click(shelf.viewport(), shelf.clip_rect(clip_named(name)).center());
  }
  void drag(QWidget* w, QPointF from, QPointF to, Qt::KeyboardModifiers keys = {}) {
    QTest::mousePress(w, Qt::LeftButton, keys, from.toPoint());
    for (int i = 1; i <= 6; ++i) {
      const QPointF at = from + (to - from) * i / 6;
      // Through the event system, buttons held: QTest's mouseMove knows no buttons.
      QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                       keys);
      QApplication::sendEvent(w, &move);
      QTest::qWait(5);
    }
    QTest::mouseRelease(w, Qt::LeftButton, keys, to.toPoint());
  }
  /// The plus at the end of a chain, then the entry of the list that opens.
  bool add_step(const char* id, ChainOwner owner = ChainOwner::clip) {
    LevelPathView& path = bench().level_path();
    click(&path, path.add_rect(owner).center());
    auto* chooser = path.findChild<StepChooser*>();
    if (!chooser || !wait_for([&] { return chooser->isVisible(); }, 2000)) return false;
    auto* entry = chooser->entry(id);
    if (!entry) return false;
    chooser->list().scrollToItem(entry);
    click(chooser->list().viewport(), chooser->list().visualItemRect(entry).center());
    QTest::qWait(20);
    return take_keys() && settle();
  }
  /// Without a window manager nobody gives a new window the keys, or gives them back when a menu closes.
  bool take_keys() {
    window.activateWindow();
    return QTest::qWaitForWindowActive(&window);
  }
  const std::vector<ChainStep>& steps() { return work().selection.clip()->chain.steps; }
  double setting(size_t step, const char* id) {
    const ChainStep& s = steps().at(step);
    return s.settings[static_cast<size_t>(parameter_index(*s.type, id))];
  }
  /// Left channel of the last `ms` that were played.
  std::vector<float> heard(int ms) {
    const auto all = device().played();
    std::vector<float> left;
    const size_t n = std::min(all.size() / 2, static_cast<size_t>(48 * ms));
    for (size_t i = all.size() / 2 - n; i < all.size() / 2; ++i) left.push_back(all[2 * i]);
    return left;
  }

  MainWindow window;
};

}  // namespace drevan::desktop
