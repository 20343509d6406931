// The Scene by mouse and keys: clips against the demo's film.
#include <gtest/gtest.h>

#include <QLineEdit>
#include <QMessageBox>
#include <QToolButton>
#include <cmath>

#include "desktop/driver.h"
#include "reel/scene_edits.h"
#include "pages/scene/scene_page.h"
#include "work/scene_films.h"
#include "work/scene_sounds.h"

namespace drevan::desktop {
namespace {

class SceneTest : public testing::Test {
 protected:
  void open() {
    ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel"));
    QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
    ASSERT_TRUE(page().isVisible());
    ASSERT_TRUE(d.wait_for([&] {
      return !d.work().scene.busy() && d.work().scene.share_ready() >= 1 &&
             d.work().films.end_s() > 70;
    }, 60000));
    QTest::qWait(60);
  }
  ~SceneTest() override { d.work().listening.player().pause(); }
  ScenePage& page() { return d.window.scene(); }
  SceneRows& rows() { return page().rows(); }
  const Reel& reel() { return d.work().document.reel(); }
  const Clip& clip(const char* name) { return *reel().find(d.clip_named(name)); }
  QPointF middle(const char* name) {
    const QRectF r = rows().clip_rect(d.clip_named(name));
    return {r.center().x(), r.bottom() - 6};
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
    d.work().listening.seek_s(at_s);
    play(ms + 300);
    const double db = test::rms_db(d.heard(ms));
    pause();
    return db;
  }

  Driver d;
};

TEST_F(SceneTest, AClipIsDraggedToAnEventAndThePictureFollowsThePlayhead) {
  open();
  // The strip of events shows where the film cuts; the clip begins 0.3 s behind one.
  rows().zoom(4, 12);
  const double cut_s = 12, x = rows().x_of(cut_s), begin = clip("stairs-02").place_s;
  ASSERT_NEAR(begin, 12.3, 1e-9);
  const QPointF at = middle("stairs-02");
  d.drag(rows().viewport(), at, at - QPointF(rows().x_of(begin) - x - 3, 0));
  EXPECT_DOUBLE_EQ(clip("stairs-02").place_s, cut_s) << "it snaps to the event";
  EXPECT_EQ(d.work().document.history().undo_label(), "Move stairs-02");
  EXPECT_TRUE(page().sentence().sentence().contains("stairs-02 starts at 01:00:12:00"))
      << page().sentence().sentence().toStdString();
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_DOUBLE_EQ(clip("stairs-02").place_s, begin) << "a drag is one edit";
  // With Alt it goes where the hand goes.
  d.drag(rows().viewport(), at, at - QPointF(rows().x_of(begin) - x - 3, 0), Qt::AltModifier);
  EXPECT_NE(clip("stairs-02").place_s, cut_s);
  EXPECT_NEAR(clip("stairs-02").place_s, cut_s, 0.4);
  // A click on the ground sets the playhead, on a picture's beginning; the film shows that picture.
  d.click(rows().viewport(), {rows().x_of(20.02), 20});
  EXPECT_NEAR(rows().playhead(), 20, 0.2);
  EXPECT_NEAR(std::remainder(rows().playhead(), 1 / 24.0), 0, 1e-6);
  ASSERT_TRUE(d.wait_for([&] {
    return page().film().exact() && std::abs(page().film().shown_s() - rows().playhead()) < 0.001;
  }));
  const double before = rows().playhead();
  rows().setFocus();
  QTest::keyClick(&rows(), Qt::Key_Right);
  EXPECT_NEAR(rows().playhead() - before, 1 / 24.0, 1e-6) << "a picture on";
  ASSERT_TRUE(d.wait_for([&] {
    return std::abs(page().film().shown_s() - rows().playhead()) < 0.001;
  }));
}

TEST_F(SceneTest, ThePictureIsWithinAPictureOfTheSoundWhileItPlays) {
  open();
  d.work().listening.seek_s(30);
  play(300);
  int looked = 0, off = 0;
  double last = 0;
  for (int i = 0; i < 40; ++i) {
    QTest::qWait(25);
    const double now = rows().playhead(), shown = page().film().shown_s();
    EXPECT_GE(now, last);
    last = now;
    ++looked;
    // What is shown begins at most one picture before, or one behind where a picture ends just now.
    off += shown > now + 1 / 24.0 || shown < now - 2 / 24.0;
  }
  EXPECT_GT(last, 30.8);
  EXPECT_LE(off, looked / 10);
  EXPECT_EQ(d.work().listening.player().underruns(), 0);
}

TEST_F(SceneTest, EventsAreMarkedNamedMovedAndTakenOut) {
  open();
  const auto count = std::ssize(reel().events);
  d.click(rows().viewport(), {rows().x_of(66), 20});
  QTest::keyClick(&rows(), Qt::Key_M);
  ASSERT_EQ(std::ssize(reel().events), count + 1);
  auto* name = rows().findChild<QLineEdit*>("event_name");
  ASSERT_TRUE(name);
  QTest::keyClicks(name, "bell");
  QTest::keyClick(name, Qt::Key_Return);
  ASSERT_TRUE(rows().event());
  const auto at = [&] { return *rows().event(); };
  EXPECT_EQ(reel().events[static_cast<size_t>(at())].name, "bell");
  EXPECT_TRUE(page().sentence().sentence().startsWith("bell is marked at"));
  // Before another one: it is still the one that is held.
  const QPointF from = rows().event_rect(at()).topLeft() + QPointF(5, 8);
  d.drag(rows().viewport(), from, {rows().x_of(45), from.y()}, Qt::AltModifier);
  EXPECT_EQ(reel().events[static_cast<size_t>(at())].name, "bell");
  EXPECT_NEAR(reel().events[static_cast<size_t>(at())].s, 45, 0.2);
  QTest::keyClick(&rows(), Qt::Key_Delete);
  EXPECT_EQ(std::ssize(reel().events), count);
  // While playing a key is enough.
  play(200);
  QTest::keyClick(&rows(), Qt::Key_M);
  EXPECT_EQ(std::ssize(reel().events), count + 1);
  EXPECT_FALSE(rows().findChild<QLineEdit*>("event_name"));
}

TEST_F(SceneTest, RowsAreHeardAloneAndSpacesByTheirBars) {
  open();
  int ines = -1, wind = -1;
  for (int g = 0; g < std::ssize(reel().groups); ++g) {
    if (reel().groups[static_cast<size_t>(g)].name == "Ines dialogue") ines = g;
    if (reel().groups[static_cast<size_t>(g)].name == "Wind") wind = g;
  }
  ASSERT_GE(ines, 0);
  ASSERT_GE(wind, 0);
  const double all = heard_db(3);
  EXPECT_GT(all, -60);
  // Nobody but Ines, who says nothing there.
  d.click(rows().viewport(), rows().header_rect(ines).topLeft() + QPointF(30, 45));
  EXPECT_EQ(d.work().scene.row(ines), SceneSounds::Row::alone);
  EXPECT_LT(heard_db(3), all - 30);
  const double dry_and_space = heard_db(14, 1200);
  d.click(rows().viewport(), rows().header_rect(ines).topLeft() + QPointF(30, 45));
  EXPECT_EQ(d.work().scene.row(ines), SceneSounds::Row::heard);
  // Through the space alone she is quieter; its bar makes her louder.
  d.click(rows().viewport(), rows().header_rect(ines).topLeft() + QPointF(30, 45));
  d.edit_reel(edits::set_direct, edits::Feeder{edits::Feeder::Of::group, ines}, false);
  const double space_alone = heard_db(14, 1200);
  EXPECT_LT(space_alone, dry_and_space - 3);
  SendBar* bar = page().spaces().bar(reel().spaces[0].clip.id, ines);
  ASSERT_TRUE(bar);
  EXPECT_DOUBLE_EQ(bar->level(), -14);
  d.drag(bar, {bar->width() * 0.6, bar->height() / 2.0}, {bar->width() - 40.0, bar->height() / 2.0});
  EXPECT_DOUBLE_EQ(reel().groups[static_cast<size_t>(ines)].sends[0].level_db, 0);
  EXPECT_GT(heard_db(14, 1200), space_alone + 6);
  EXPECT_EQ(d.work().document.history().undo_label(), "Ines dialogue into Tower stairs");
}

TEST_F(SceneTest, WordsOfTheSentenceAreTurnedAndTyped) {
  open();
  d.click(rows().viewport(), middle("call-in-01"));
  EXPECT_EQ(d.work().selection.clip_id(), d.clip_named("call-in-01"));
  SceneSentence& says = page().sentence();
  EXPECT_TRUE(says.sentence().contains("goes into Lamp room -12.0")) << says.sentence().toStdString();
  const QRectF send = says.word_rect("Lamp room");
  ASSERT_FALSE(send.isEmpty());
  d.drag(&says, send.center(), send.center() + QPointF(24, 0));
  EXPECT_NEAR(sends_of(reel(), clip("call-in-01"))[0].level_db, -6, 0.51);
  EXPECT_EQ(reel().groups[static_cast<size_t>(clip("call-in-01").group)].sends[0].level_db, -12)
      << "its own, not its group's";
  const QRectF place = says.word_rect("01:00:29:00");
  ASSERT_FALSE(place.isEmpty());
  QTest::mouseDClick(&says, Qt::LeftButton, {}, place.center().toPoint());
  auto* typed = says.findChild<QLineEdit*>("typed_word");
  ASSERT_TRUE(typed);
  typed->setText("01:00:30:12");
  QTest::keyClick(typed, Qt::Key_Return);
  EXPECT_NEAR(clip("call-in-01").place_s, 30.5, 1e-6);
  // Away from the Scene the Bench plays the clip that was chosen.
  QTest::mouseDClick(rows().viewport(), Qt::LeftButton, {}, middle("call-in-01").toPoint());
  EXPECT_TRUE(d.bench().isVisible());
  EXPECT_FALSE(d.work().listening.plays_scene());
  ASSERT_TRUE(d.settle());
  QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
  EXPECT_TRUE(d.work().listening.plays_scene());
}

TEST_F(SceneTest, WithoutAFilmItWorksToo) {
  ASSERT_TRUE(d.open_demo());
  QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
  ASSERT_TRUE(d.wait_for([&] { return d.work().scene.share_ready() >= 1 && !d.work().scene.busy(); }, 60000));
  EXPECT_TRUE(page().film().picture_rect().isEmpty());
  EXPECT_GT(heard_db(12.5, 1500), -50);
  // A film that is none is told and does nothing else.
  d.work().films.add({DREVAN_SOURCE_DIR "/demo/five.recipe"}, 0);
  QTest::qWait(300);
  EXPECT_TRUE(reel().films.empty());
  for (auto* told : d.window.findChildren<QMessageBox*>()) told->close();
  ASSERT_TRUE(d.take_keys());
  // Zoomed in and out again.
  rows().zoom(40, 12);
  EXPECT_GT(rows().view_begin(), 5);
  QTest::keyClick(&d.window, Qt::Key_0, Qt::ControlModifier);
  EXPECT_EQ(rows().view_begin(), 0);
}

}  // namespace
}  // namespace drevan::desktop
