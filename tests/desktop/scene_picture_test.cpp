// SPDX-License-Identifier: GPL-3.0-or-later
// The picture of the Scene: exact while it plays, in its shape, and sounds held on it.
#include <gtest/gtest.h>

#include <QTest>
#include <algorithm>
#include <cmath>

#include "../../demo/story.h"
#include "desktop/scene_fixture.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"
#include "support/make_film.h"
#include "widgets/words.h"

namespace drevan::desktop {
namespace {

using ScenePictureTest = SceneFixture;

TEST_F(ScenePictureTest, ThePictureIsWithinAPictureOfTheSoundWhileItPlays) {
  open();
  d.work().listening.seek(ReelTime{30});
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
  const Player::Load load = d.work().listening.player().load();
  EXPECT_GT(load.share, 0.001);
  EXPECT_LT(load.share, 1);
  EXPECT_NE(reel().find(load.dearest), nullptr);
  EXPECT_GT(last, 30.8);
  EXPECT_LE(off, looked / 10);
  EXPECT_EQ(d.work().listening.player().underruns(), 0);
}

TEST_F(ScenePictureTest, ThePictureStandsInAWindowOfItsOwnAsWell) {
  open();
  d.click(rows().viewport(), {rows().x_of(20), 20});
  QTest::keyClick(&d.window, Qt::Key_W);
  QWidget* window = page().film_window();
  ASSERT_TRUE(window && window->isVisible());
  auto* film = window->findChild<FilmView*>();
  ASSERT_TRUE(film);
  EXPECT_TRUE(d.wait_for(
      [&] { return film->exact() && std::abs(film->shown_s() - rows().playhead()) < 0.001; }));
  QTest::keyClick(window, Qt::Key_Escape);
  EXPECT_FALSE(window->isVisible());
  page().show_film_window(true);
  EXPECT_TRUE(window->isVisible());
  page().show_film_window(false);
}

// 96 x 64 stored pixels, a third wider than high: seen two to one.
TEST_F(ScenePictureTest, APictureIsSeenAsWideAsItIsMeant) {
  const test::TempFolder folder;
  const auto file = folder / "not square.mov";
  test::make_film(file, {.width = 96, .height = 64, .pixel_wide = 4, .pixel_high = 3});
  QTest::keyClick(&d.window, Qt::Key_2, Qt::ControlModifier);
  d.work().films.add({text(file.string())}, 0);
  FilmView& film = d.window.scene().film();
  ASSERT_TRUE(d.wait_for([&] { return !film.picture_rect().isEmpty() && film.exact(); }));
  EXPECT_NEAR(film.picture_rect().width() / film.picture_rect().height(), 2, 0.01);
}

TEST_F(ScenePictureTest, ASoundIsHeldOnThePictureWhileItStandsAndWhileItPlays) {
  open();
  d.click(rows().viewport(), middle("stairs-02"));
  d.click(rows().viewport(), {rows().x_of(13), 20});
  FilmView& film = page().film();
  ASSERT_TRUE(d.wait_for([&] { return film.exact() && film.dot(); }));
  const QRectF picture = film.picture_rect();
  EXPECT_NEAR(film.dot()->x(), picture.center().x(), 1);
  d.drag(&film, *film.dot(), {picture.left() + picture.width() / 4, picture.center().y()});
  const double there = rows().playhead() - clip("stairs-02").place.s;
  EXPECT_NEAR(edits::place_at(clip("stairs-02"), there), -0.5, 0.02);
  EXPECT_NEAR(film.dot()->x(), picture.left() + picture.width() / 4, 2);
  EXPECT_EQ(clip("stairs-02").chain.steps.back().type->id, "pan");
  const auto undo_states = d.work().document.history().labels().size();
  // The hand goes from left to right while the film runs.
  play(100);
  const QPointF from = *film.dot();
  QTest::mousePress(&film, Qt::LeftButton, {}, from.toPoint());
  double crossed_s = -1;
  for (int i = 0; i <= 60; ++i) {
    const QPointF at(picture.left() + picture.width() * (0.2 + 0.01 * i), from.y());
    QMouseEvent move(QEvent::MouseMove, at, film.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
    QApplication::sendEvent(&film, &move);
    if (crossed_s < 0 && at.x() >= picture.center().x()) crossed_s = rows().playhead();
    QTest::qWait(20);
  }
  QTest::mouseRelease(&film, Qt::LeftButton);
  pause();
  EXPECT_EQ(d.work().document.history().labels().size(), undo_states + 1) << "one edit";
  const auto& points = clip("stairs-02").chain.steps.back().curves[0].curve->points;
  EXPECT_GT(points.size(), 15U);
  // What was drawn crosses the middle within two pictures of where the hand did.
  double zero_s = -1;
  for (double s = 0; s < 12 && zero_s < 0; s += 0.001)
    if (s > there + 0.1 && edits::place_at(clip("stairs-02"), s) >= 0) zero_s = s;
  EXPECT_NEAR(zero_s + clip("stairs-02").place.s, crossed_s, 2 / 24.0);
}

// Against the program that drew the film.
TEST_F(ScenePictureTest, TheDotFollowsTheActorByItself) {
  open();
  d.click(rows().viewport(), middle("stairs-02"));
  d.click(rows().viewport(), {rows().x_of(15), 20});
  FilmView& film = page().film();
  ASSERT_TRUE(d.wait_for([&] { return film.exact() && film.dot(); }));
  const auto on_picture = [&](demo::Point p) {
    const QRectF r = film.picture_rect();
    return QPointF(r.left() + p.x / demo::film_width * r.width(),
                   r.top() + p.y / demo::film_height * r.height());
  };
  d.drag(&film, *film.dot(), on_picture(demo::actor_at(rows().playhead())));
  QTest::keyClick(&d.window, Qt::Key_F);
  EXPECT_TRUE(film.following());
  ASSERT_TRUE(d.wait_for([&] { return !film.following(); }, 60000));
  QTest::qWait(50);
  const double from = rows().playhead(), place_s = clip("stairs-02").place.s;
  int looked = 0;
  for (double s = from; s < 22; s += 0.25, ++looked)
    EXPECT_NEAR((edits::place_at(clip("stairs-02"), s - place_s) + 1) / 2 * demo::film_width,
                demo::actor_at(s).x, 30)
        << s;
  EXPECT_GT(looked, 20);
  EXPECT_EQ(d.work().document.history().undo_label(), "stairs-02 follows the picture");
  // He leaves the picture before the clip ends: it is said.
  for (auto* told : d.window.findChildren<QMessageBox*>()) told->close();
  const auto* line = d.window.findChild<QToolButton*>("more");
  ASSERT_TRUE(line);
  EXPECT_TRUE(line->isVisible());
}

}  // namespace
}  // namespace drevan::desktop
