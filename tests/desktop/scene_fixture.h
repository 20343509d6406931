// SPDX-License-Identifier: GPL-3.0-or-later
// The demo's reel in the Scene, for tests by mouse and keys.
#pragma once

#include <gtest/gtest.h>

#include <QAction>
#include <QTest>

#include "desktop/driver.h"
#include "pages/scene/scene_page.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {

class SceneFixture : public testing::Test {
 protected:
  void open() {
    ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel"));
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    // What earlier tests left to the next session.
    d.window.scene().show_beside(ScenePage::Beside::spaces);
    d.window.scene().show_steps(false);
    ASSERT_TRUE(page().isVisible());
    ASSERT_TRUE(ready());
    ASSERT_TRUE(d.wait_for([&] { return d.work().films.end_s() > 70; }, 60000));
    QTest::qWait(60);
  }
  bool ready() {
    return d.wait_for([&] { return !d.work().scene.busy() && d.work().scene.share_ready() >= 1; },
                      60000);
  }
  ~SceneFixture() override { d.work().listening.player().pause(); }
  ScenePage& page() { return d.window.scene(); }
  SceneRows& rows() { return page().rows(); }
  const Reel& reel() { return d.work().document.reel(); }
  const Clip& clip(const char* name) { return *reel().find(d.clip_named(name)); }
  QPointF middle(const char* name) {
    const QRectF r = rows().clip_rect(d.clip_named(name));
    return {r.center().x(), r.bottom() - 14};
  }
  void undo() { QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier); }
  // An entry of a menu, as the menu bar gives it.
  QAction* entry(const QString& begins) {
    for (QAction* a : d.window.findChildren<QAction*>())
      if (a->text().startsWith(begins)) return a;
    return nullptr;
  }
  void play(int ms) {
    QTest::keyClick(&d.window, Qt::Key_Space);
    EXPECT_TRUE(d.wait_for([&] { return d.work().listening.player().playing(); }, 3000));
    QTest::qWait(ms);
  }
  void pause() {
    if (!d.work().listening.player().playing()) return;
    QTest::keyClick(&d.window, Qt::Key_Space);
    EXPECT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }, 3000));
  }
  double heard_db(double at_s, int ms = 500) {
    // What was edited is in it.
    EXPECT_TRUE(d.wait_for([&] { return !d.work().scene.busy(); }));
    d.work().listening.seek(ReelTime{at_s});
    play(ms + 300);
    const double db = test::rms_db(d.heard(ms));
    pause();
    return db;
  }

  Driver d;
};

}  // namespace drevan::desktop
