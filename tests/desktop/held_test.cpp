// SPDX-License-Identifier: GPL-3.0-or-later
// What a hand holds is let go when something else comes under it: every widget that is dragged, held at
// every place, while another clip is chosen, the clip is taken out, or another reel is opened.
#include <gtest/gtest.h>

#include <QApplication>
#include <QMouseEvent>
#include <QPointer>
#include <QScrollBar>

#include "desktop/driver.h"
#include "pages/bench/curve_lane.h"
#include "pages/bench/level_path.h"
#include "pages/bench/scope.h"
#include "pages/bench/shelf.h"
#include "pages/scene/film_view.h"
#include "pages/scene/mix_row.h"
#include "pages/scene/scene_plan.h"
#include "pages/scene/scene_rows.h"
#include "pages/scene/scene_sentence.h"
#include "pages/scene/space_list.h"
#include "pictures/picture.h"
#include "reel/scene/scene_edits.h"
#include "support/make_film.h"
#include "support/steps.h"
#include "widgets/value_slider.h"

namespace drevan::desktop {
namespace {

class HeldTest : public testing::Test {
 protected:
  HeldTest() {
    test::make_film(folder / "film.mov", {.frames = 150});
    const auto made = [&](const std::string& name, double gain) {
      Reel reel;
      reel.name = name;
      for (const char* clip : {"one", "two"}) {
        AudioBuffer x = test::noise(0.01, 5, 1);
        test::add(x, test::words(gain, 3), 1);
        test::write_wav(folder / (name + clip + ".wav"), x);
        const ClipId id = add_clip(reel, examine_source(folder / (name + clip + ".wav")), "Voices");
        Clip& c = *reel.find(id);
        c.chain.steps = {test::with("equaliser", {}), test::with("compressor", {}),
                         test::with("gain", {})};
        c.chain.steps[2].curves = {
            {0, std::make_shared<const Curve>(Curve{{{1, -3}, {2, -6}, {3, 0}}})}};
        c.room_tone = ClipRange{{0.2}, {0.9}};
        c.fade_in = {0.4, CurveShape::smooth};
        c.fade_out = {0.5, CurveShape::smooth};
        c.place = ReelTime{0.1};
      }
      reel = edits::add_space(reel, "Hall", {{test::with("reverb", {})}}).next;
      reel = edits::set_send(reel, reel.groups.front().id, reel.spaces.front().id(), -12).next;
      reel.films = {{folder / "film.mov", {0}}};
      settle_step_ids(reel);
      save_reel(reel, folder / (name + ".reel"));
    };
    made("first", 0.3);
    made("other", 0.1);
  }
  void open(const std::string& name) {
    ASSERT_TRUE(d.work().document.open(folder / (name + ".reel")));
    d.work().selection.select_clip(1);
  }
  const Reel& reel() { return d.work().document.reel(); }
  static void mouse(QWidget* to, QEvent::Type type, QPointF at) {
    QMouseEvent e(type, at, to->mapToGlobal(at), Qt::LeftButton,
                  type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, {});
    QCoreApplication::sendEvent(to, &e);
    while (QWidget* popup = QApplication::activePopupWidget()) popup->close();
  }
  template <class T>
  void add(QWidget& page) {
    for (T* w : page.findChildren<T*>())
      if (w->isVisible() && w->width() > 4 && w->height() > 4) widgets.emplace_back(w);
  }
  // Held at a place and moved; then it happens; then it is moved on and let go.
  void hold_everywhere(double step, const std::function<void()>& happens) {
    for (size_t i = 0; i < widgets.size(); ++i) {
      // Some are made anew with the reel.
      if (!widgets[i]) collect();
      ASSERT_TRUE(i < widgets.size() && widgets[i]);
      const QSize size = widgets[i]->size();
      for (double y = std::min(step / 4, size.height() / 2.0); y < size.height(); y += step / 2)
        for (double x = std::min(step / 4, size.width() / 2.0); x < size.width(); x += step) {
          if (!widgets[i]) collect();
          ASSERT_TRUE(i < widgets.size() && widgets[i]);
          hold(widgets[i], {x, y}, happens);
          if (HasFatalFailure()) return;
        }
    }
  }
  void hold(const QPointer<QWidget>& w, QPointF at, const std::function<void()>& happens) {
    const QString what = w->metaObject()->className();
    mouse(w, QEvent::MouseButtonPress, at);
    if (w) mouse(w, QEvent::MouseMove, at + QPointF{11, 7});
    happens();
    const Reel before = reel();
    if (w) mouse(w, QEvent::MouseMove, at + QPointF{34, 15});
    if (w) mouse(w, QEvent::MouseMove, at + QPointF{40, 20});
    if (w) mouse(w, QEvent::MouseButtonRelease, at + QPointF{40, 20});
    ASSERT_EQ(reel(), before) << what.toStdString() << " held at " << at.x() << ", " << at.y()
                              << ": " << d.work().document.history().undo_label();
    restore();
  }
  // As it was when it was opened.
  void restore() {
    if (reel().name != "first")
      open("first");
    else
      while (d.work().document.history().can_undo()) d.work().document.undo();
    d.work().selection.select_clip(1);
    if (chosen != 0) d.work().selection.select_step(chosen);
  }
  void collect_bench() {
    widgets.clear();
    add<Scope>(d.window);
    add<LevelPathView>(d.window);
    add<CurveLane>(d.window);
    add<StepPicture>(d.window);
    add<ValueSlider>(d.window);
    for (Shelf* shelf : d.window.findChildren<Shelf*>()) widgets.emplace_back(shelf->viewport());
  }
  void collect_scene() {
    widgets.clear();
    add<ScenePlan>(d.window);
    add<FilmView>(d.window);
    add<SendBar>(d.window);
    add<SceneSentence>(d.window);
    for (SceneRows* rows : d.window.findChildren<SceneRows*>())
      widgets.emplace_back(rows->viewport());
  }
  void bench(int step) {
    open("first");
    d.window.show_place(MainWindow::Place::bench);
    ASSERT_TRUE(d.settle());
    chosen = reel().find(ClipId{1})->chain.steps[static_cast<size_t>(step)].id;
    d.work().selection.select_step(chosen);
    QTest::qWait(60);
    collect = [this] { collect_bench(); };
    collect();
    ASSERT_GT(widgets.size(), 4U);
  }
  void scene() {
    open("first");
    d.window.show_place(MainWindow::Place::scene);
    chosen = 0;
    ASSERT_TRUE(d.wait_for([&] { return !d.work().scene.busy(); }));
    QTest::qWait(60);
    collect = [this] { collect_scene(); };
    collect();
    ASSERT_GT(widgets.size(), 2U);
  }
  void another_clip() { d.work().selection.select_clip(2); }
  void gone(std::vector<ClipId> ids) { d.edit_reel(edits::remove_clips, ids); }
  void another_reel() { open("other"); }

  test::TempFolder folder;
  Driver d;
  std::vector<QPointer<QWidget>> widgets;
  std::function<void()> collect;
  StepId chosen = 0;
};

TEST_F(HeldTest, OnTheBenchWhileAnotherClipIsChosen) {
  for (const int step : {0, 2}) {
    bench(step);
    hold_everywhere(54, [this] { another_clip(); });
  }
}
TEST_F(HeldTest, OnTheBenchWhileTheClipIsTakenOut) {
  bench(1);
  hold_everywhere(64, [this] { gone({1}); });
}
TEST_F(HeldTest, OnTheBenchWhileAnotherReelIsOpened) {
  for (const int step : {0, 2}) {
    bench(step);
    hold_everywhere(110, [this] { another_reel(); });
  }
}
// With its group, whose sends are held as well.
TEST_F(HeldTest, InTheSceneWhileTheClipsAreTakenOut) {
  scene();
  hold_everywhere(48, [this] { gone({1, 2}); });
}
TEST_F(HeldTest, InTheSceneWhileAnotherReelIsOpened) {
  scene();
  hold_everywhere(110, [this] { another_reel(); });
}

}  // namespace
}  // namespace drevan::desktop
