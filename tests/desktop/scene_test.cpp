// SPDX-License-Identifier: GPL-3.0-or-later
// The Scene by mouse and keys: clips against the demo's film.
#include <gtest/gtest.h>

#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QTemporaryDir>
#include <QToolButton>
#include <cmath>

#include "../../demo/story.h"
#include "batch/mix.h"
#include "desktop/scene_fixture.h"
#include "dialogs/film_sheet.h"
#include "media/film_file.h"
#include "reel/scene/scene_curves.h"
#include "reel/scene/made.h"
#include "reel/scene/recording.h"
#include "reel/scene/scene_edits.h"
#include "reel/edits/takes.h"
#include "steps/catalogue.h"
#include "support/sounds.h"
#include "work/jobs.h"

namespace drevan::desktop {
namespace {

using SceneTest = SceneFixture;

TEST_F(SceneTest, AClipIsDraggedToAnEventAndThePictureFollowsThePlayhead) {
  open();
  // The strip of events shows where the film cuts; the clip begins 0.3 s behind one.
  rows().zoom(4, 12);
  const double cut_s = 12, x = rows().x_of(cut_s), begin = clip("stairs-02").place.s;
  ASSERT_NEAR(begin, 12.3, 1e-9);
  const QPointF at = middle("stairs-02");
  d.drag(rows().viewport(), at, at - QPointF(rows().x_of(begin) - x - 3, 0));
  EXPECT_DOUBLE_EQ(clip("stairs-02").place.s, cut_s) << "it snaps to the event";
  EXPECT_EQ(d.work().document.history().undo_label(), "Move stairs-02");
  EXPECT_TRUE(page().sentence().sentence().contains("stairs-02 starts at 01:00:12:00"))
      << page().sentence().sentence().toStdString();
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_DOUBLE_EQ(clip("stairs-02").place.s, begin) << "a drag is one edit";
  // With Alt it goes where the hand goes.
  d.drag(rows().viewport(), at, at - QPointF(rows().x_of(begin) - x - 3, 0), Qt::AltModifier);
  EXPECT_NE(clip("stairs-02").place.s, cut_s);
  EXPECT_NEAR(clip("stairs-02").place.s, cut_s, 0.4);
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
  ASSERT_TRUE(
      d.wait_for([&] { return std::abs(page().film().shown_s() - rows().playhead()) < 0.001; }));
}

TEST_F(SceneTest, EventsAreMarkedNamedMovedAndTakenOut) {
  open();
  const auto count = std::ssize(reel().events);
  d.click(rows().viewport(), {rows().x_of(66), 20});
  QTest::keyClick(&rows(), Qt::Key_E);
  ASSERT_EQ(std::ssize(reel().events), count + 1);
  auto* name = rows().findChild<QLineEdit*>("event_name");
  ASSERT_TRUE(name);
  QTest::keyClicks(name, "bell");
  QTest::keyClick(name, Qt::Key_Return);
  ASSERT_TRUE(rows().event());
  const auto at = [&] { return *rows().event(); };
  EXPECT_EQ(find_event(reel(), at())->name, "bell");
  EXPECT_TRUE(page().sentence().sentence().startsWith("bell is marked at"));
  // Before another one: it is still the one that is held.
  const QPointF from = rows().event_rect(at()).topLeft() + QPointF(5, 8);
  d.drag(rows().viewport(), from, {rows().x_of(45), from.y()}, Qt::AltModifier);
  EXPECT_EQ(find_event(reel(), at())->name, "bell");
  EXPECT_NEAR(find_event(reel(), at())->at.s, 45, 0.2);
  QTest::keyClick(&rows(), Qt::Key_Delete);
  EXPECT_EQ(std::ssize(reel().events), count);
  // While playing a key is enough.
  play(200);
  QTest::keyClick(&rows(), Qt::Key_E);
  EXPECT_EQ(std::ssize(reel().events), count + 1);
  EXPECT_FALSE(rows().findChild<QLineEdit*>("event_name"));
}

TEST_F(SceneTest, RowsAreHeardAloneAndSpacesByTheirBars) {
  open();
  GroupId ines = 0, wind = 0;
  for (const Group& g : reel().groups) {
    if (g.name == "Ines dialogue") ines = g.id;
    if (g.name == "Wind") wind = g.id;
  }
  ASSERT_TRUE(ines);
  ASSERT_TRUE(wind);
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
  d.edit_reel(edits::set_direct, edits::Feeder{ines}, false);
  const double space_alone = heard_db(14, 1200);
  EXPECT_LT(space_alone, dry_and_space - 3);
  SendBar* bar = page().spaces().bar(reel().spaces[0].id(), ines);
  ASSERT_TRUE(bar);
  EXPECT_DOUBLE_EQ(bar->level(), -14);
  d.drag(bar, {bar->width() * 0.6, bar->height() / 2.0},
         {bar->width() - 40.0, bar->height() / 2.0});
  EXPECT_DOUBLE_EQ(reel().at(ines).sends[0].level_db, 0);
  EXPECT_GT(heard_db(14, 1200), space_alone + 6);
  EXPECT_EQ(d.work().document.history().undo_label(), "Ines dialogue into Tower stairs");
}

TEST_F(SceneTest, WordsOfTheSentenceAreTurnedAndTyped) {
  open();
  d.click(rows().viewport(), middle("call-in-01"));
  EXPECT_EQ(d.work().selection.clip_id(), d.clip_named("call-in-01"));
  SceneSentence& says = page().sentence();
  EXPECT_TRUE(says.sentence().contains("goes into Lamp room -12.0"))
      << says.sentence().toStdString();
  const QRectF send = says.word_rect("Lamp room");
  ASSERT_FALSE(send.isEmpty());
  d.drag(&says, send.center(), send.center() + QPointF(24, 0));
  EXPECT_NEAR(sends_of(reel(), clip("call-in-01"))[0].level_db, -6, 0.51);
  EXPECT_EQ(reel().at(clip("call-in-01").group).sends[0].level_db, -12)
      << "its own, not its group's";
  const QRectF place = says.word_rect("01:00:29:00");
  ASSERT_FALSE(place.isEmpty());
  QTest::mouseDClick(&says, Qt::LeftButton, {}, place.center().toPoint());
  auto* typed = says.findChild<QLineEdit*>("typed_word");
  ASSERT_TRUE(typed);
  typed->setText("01:00:30:12");
  QTest::keyClick(typed, Qt::Key_Return);
  EXPECT_NEAR(clip("call-in-01").place.s, 30.5, 1e-6);
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
  ASSERT_TRUE(d.wait_for(
      [&] { return d.work().scene.share_ready() >= 1 && !d.work().scene.busy(); }, 60000));
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

TEST_F(SceneTest, AnEndIsTrimmedOrStretchedToAnEvent) {
  open();
  rows().zoom(3, 30);
  d.click(rows().viewport(), middle("door"));
  const auto length = [&] { return d.work().scene.sound(d.clip_named("door"))->course->seconds(); };
  const double own_s = clip_seconds(reel(), clip("door"));
  const auto end = [&](double s) {
    return QPointF(rows().x_of(s) - 1, rows().clip_rect(d.clip_named("door")).center().y());
  };
  const double begin = clip("door").place.s, lamp_s = 36;
  d.drag(rows().viewport(), end(begin + own_s), {rows().x_of(lamp_s) + 3, end(0).y()},
         Qt::ControlModifier);
  ASSERT_EQ(edits::stretch_way(clip("door")), edits::StretchWay::pitch);
  ASSERT_TRUE(d.wait_for([&] { return std::abs(length() - (lamp_s - begin)) < 0.05; }));
  SceneSentence& says = page().sentence();
  EXPECT_TRUE(says.sentence().contains("keeps its pitch")) << says.sentence().toStdString();
  // A word of the sentence makes it fall like tape; it is as long.
  d.click(&says, says.word_rect("keeps its pitch").center());
  EXPECT_EQ(edits::stretch_way(clip("door")), edits::StretchWay::tape);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().scene.busy(); }));
  EXPECT_NEAR(length(), lamp_s - begin, 0.05);
  // Past what can be it is told, and nothing happens.
  const Reel before = reel();
  const QRectF word = says.word_rect("11.1");
  ASSERT_FALSE(word.isEmpty()) << says.sentence().toStdString();
  QTest::mouseDClick(&says, Qt::LeftButton, {}, word.center().toPoint());
  auto* typed = says.findChild<QLineEdit*>("typed_word");
  ASSERT_TRUE(typed);
  typed->setText("900");
  QTest::keyClick(typed, Qt::Key_Return);
  EXPECT_EQ(reel(), before);
  for (auto* told : d.window.findChildren<QMessageBox*>()) told->close();
  ASSERT_TRUE(d.take_keys());
  d.edit_reel(edits::take_out_stretch, d.clip_named("door"));
  ASSERT_TRUE(d.wait_for([&] { return std::abs(length() - own_s) < 0.05; }));
  // Without Ctrl an end is trimmed.
  d.drag(rows().viewport(), end(begin + own_s), {rows().x_of(begin + 2), end(0).y()});
  EXPECT_NEAR(clip_seconds(reel(), clip("door")), 2, 0.03);
  EXPECT_NEAR(clip("door").place.s, begin, 1e-9);
}

TEST_F(SceneTest, AGainIsDrawnOverTheRowAndHeard) {
  open();
  d.click(rows().viewport(), middle("wind-1"));
  d.work().scene.set_row(clip("wind-1").group, SceneSounds::Row::alone);
  const double before = heard_db(1, 700);
  QTest::keyClick(&d.window, Qt::Key_G);
  ASSERT_TRUE(edits::drawn_gain(clip("wind-1")));
  const auto curve = [&] { return *clip("wind-1").chain.steps.back().curves.at(0).curve; };
  ASSERT_EQ(curve().points.size(), 2U);
  EXPECT_DOUBLE_EQ(curve().points[0].value, 0);
  // Its first point goes down to the row's -30 dB, by the row's own ruler.
  const QPointF first = rows().line_point(0);
  const QRectF row = rows().row_rect(clip("wind-1").group);
  const double down = (row.bottom() - 4 - (row.top() + 12)) / 2;
  d.drag(rows().viewport(), first, first + QPointF(0, down));
  EXPECT_NEAR(curve().points[0].value, -30, 1);
  // A press on the line makes a point there.
  const QPointF middle_of = (rows().line_point(0) + rows().line_point(1)) / 2;
  d.drag(rows().viewport(), middle_of, middle_of + QPointF(0, 6));
  EXPECT_EQ(curve().points.size(), 3U);
  QTest::mouseDClick(rows().viewport(), Qt::LeftButton, {}, rows().line_point(1).toPoint());
  EXPECT_EQ(curve().points.size(), 2U);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().scene.busy(); }));
  EXPECT_LT(heard_db(1, 700), before - 15);
  QTest::keyClick(&d.window, Qt::Key_G);
  EXPECT_TRUE(clip("wind-1").chain.steps.back().curves.empty());
}

TEST_F(SceneTest, StepsAreTurnedUnderTheRowsWhileAllPlays) {
  open();
  d.click(rows().viewport(), middle("call-in-01"));
  d.work().scene.set_row(clip("call-in-01").group, SceneSounds::Row::alone);
  QTest::keyClick(&d.window, Qt::Key_A);
  SceneSteps& steps = page().steps();
  ASSERT_TRUE(steps.isVisible());
  ASSERT_TRUE(d.settle());
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  ASSERT_TRUE(d.settle());
  // A click on its column selects it; its slider turns it, and that is heard.
  const QRectF column = steps.level_path().step_rect({ChainOwner::clip, 0});
  ASSERT_FALSE(column.isEmpty());
  d.click(&steps.level_path(), column.center());
  ValueSlider* gain = steps.editor().slider("gain_db");
  ASSERT_TRUE(gain);
  const double before = heard_db(30, 700);
  d.work().listening.seek(ReelTime{29.6});
  play(100);
  Q_EMIT gain->changed(-20);
  Q_EMIT gain->settled();
  pause();
  EXPECT_DOUBLE_EQ(clip("call-in-01").chain.steps[0].settings[0], -20);
  EXPECT_NEAR(heard_db(30, 700), before - 20, 3);
  // Its curve lies under the rows, where the clip is.
  CurveLane& lane = steps.lane();
  lane.show_parameter(0);
  ASSERT_TRUE(lane.isVisible());
  EXPECT_NEAR(lane.place_of(0, -20).x(), rows().x_of(clip("call-in-01").place.s), 0.01);
  d.click(&lane, lane.place_of(1, -20));
  const auto& curves = clip("call-in-01").chain.steps[0].curves;
  ASSERT_EQ(curves.size(), 1U);
  EXPECT_TRUE(std::ranges::any_of(curves[0].curve->points,
                                  [](const CurvePoint& p) { return std::abs(p.s - 1) < 0.1; }));
  // The mix's as well, without leaving the Scene.
  Q_EMIT page().bus_wanted(mix_clip_id);
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip_id() == mix_clip_id; }, 30000));
  EXPECT_TRUE(page().isVisible());
  // The progress that was shown meanwhile had the keys.
  QTest::qWait(50);
  ASSERT_TRUE(d.take_keys());
  QTest::keyClick(&d.window, Qt::Key_A);
  EXPECT_FALSE(steps.isVisible());
  EXPECT_FALSE(lane.isVisible());
}

TEST_F(SceneTest, MarkedClipsStretchTogetherAndBecomeOne) {
  open();
  d.click(rows().viewport(), middle("wind-1"));
  QTest::mouseClick(rows().viewport(), Qt::LeftButton, Qt::ControlModifier,
                    middle("wind-2").toPoint());
  ASSERT_EQ(rows().marked().size(), 2U);
  // The end of the later one goes to 66 s: both by one factor about the beginning.
  const double end_s = clip("wind-2").place.s + clip_seconds(reel(), clip("wind-2"));
  const QRectF r = rows().clip_rect(d.clip_named("wind-2"));
  d.drag(rows().viewport(), {r.right() - 1, r.center().y()}, {rows().x_of(66), r.center().y()},
         Qt::ControlModifier | Qt::AltModifier);
  const double factor = clip("wind-2").place.s / 47.6;
  EXPECT_NEAR(factor, 66 / end_s, 0.01);
  EXPECT_TRUE(edits::stretch_way(clip("wind-1")) && edits::stretch_way(clip("wind-2")));
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_DOUBLE_EQ(clip("wind-2").place.s, 47.6);
  EXPECT_FALSE(edits::stretch_way(clip("wind-1")));
  // One clip of them; apart again.
  const test::TempFolder folder;
  d.edit_reel(edits::set_recording_format, RecordingFormat{false, false, folder.path()});
  d.work().jobs.make_one(rows().marked());
  ASSERT_TRUE(d.wait_for([&] { return d.clip_named("wind-1 and 1 more") != 0; }, 30000));
  EXPECT_NEAR(clip_seconds(reel(), clip("wind-1 and 1 more")), end_s, 0.01);
  EXPECT_TRUE(left_out(reel(), clip("wind-1")));
  d.work().selection.select_clip(d.clip_named("wind-1 and 1 more"));
  d.edit(edits::take_apart);
  EXPECT_FALSE(left_out(reel(), clip("wind-1")));
  EXPECT_EQ(d.clip_named("wind-1 and 1 more").number(), 0);
}

TEST_F(SceneTest, TheFilmIsWrittenWithTheMix) {
  open();
  const QTemporaryDir temp;
  FilmSheet sheet(d.work());
  sheet.show();
  sheet.set_goal(temp.filePath("with mix.mov"));
  sheet.write();
  ASSERT_TRUE(d.wait_for([&] { return !sheet.written().isEmpty(); }, 120000));
  const FilmInfo info = read_film_info(sheet.written().toStdString());
  EXPECT_EQ(info.sounds, 1);
  EXPECT_EQ(info.timecode, "01:00:00:00");
  EXPECT_NEAR(info.seconds, 72, 0.1);
  // What is heard in it is the mix, to the bit.
  FindingStore store;
  BatchOptions options;
  options.folder = temp.filePath("mix").toStdString();
  const auto mix = render_mix(d.work().document.reel(), options, {}, store, {});
  AudioBuffer film = test::read_all(sheet.written().toStdString());
  const AudioBuffer wanted = test::read_all(mix.files[0].output);
  ASSERT_EQ(film.channels(), wanted.channels());
  ASSERT_GE(film.frames(), wanted.frames());
  EXPECT_GT(test::rms_db(wanted.channel(0)), -50);
  for (int c = 0; c < wanted.channels(); ++c)
    for (size_t i = 0; i < film.channel(c).size(); ++i)
      ASSERT_EQ(film.channel(c)[i], i < wanted.channel(c).size() ? wanted.channel(c)[i] : 0.0F)
          << i;
  FilmSheet other(d.work());
  other.set_goal(temp.filePath("x.txt"));
  EXPECT_TRUE(other.findChild<QLabel*>("told")->text().contains(".mkv"));
}

}  // namespace
}  // namespace drevan::desktop
