// SPDX-License-Identifier: GPL-3.0-or-later
// What is drawn and held in the Scene's rows and on its plan: crossfades, bound moments, lines, places.
#include <gtest/gtest.h>

#include <QApplication>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QDoubleSpinBox>
#include <QMenu>
#include <QMenuBar>
#include <QPushButton>
#include <QTest>
#include <QToolButton>
#include <cmath>

#include "desktop/scene_fixture.h"
#include "dialogs/made_sheet.h"
#include "reel/times/crossings.h"
#include "reel/edits/anchors.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "steps/curve_edit.h"

namespace drevan::desktop {
namespace {

using SceneRowsTest = SceneFixture;

TEST_F(SceneRowsTest, AClipDraggedOverAnotherIsCrossfadedAndTheShapeIsDragged) {
  open();
  const double was = clip("night-two").place.s;
  const QPointF at = middle("night-two");
  d.click(rows().viewport(), at);
  const double over = clip("opening").place.s + clip_seconds(reel(), clip("opening")) - 2;
  d.drag(rows().viewport(), at, {at.x() + rows().x_of(over) - rows().x_of(was), at.y()},
         Qt::AltModifier);
  const ClipId id = d.clip_named("night-two");
  const auto crossing = [&]() -> std::optional<Crossing> {
    const Crossings all(reel());
    return all.into(id) ? std::optional(*all.into(id)) : std::nullopt;
  };
  ASSERT_TRUE(crossing());
  EXPECT_NEAR(crossing()->in.s, 2, 0.15);
  EXPECT_NEAR(crossing()->in.s, crossing()->out.s, 1e-9);
  EXPECT_NE(crossing()->alike, 0) << "it was listened to when it was let go";
  EXPECT_LT(crossing()->alike, 0.3) << "two talks have little in common";
  const auto in = *crossing();
  // The dot shapes it.
  const QPointF dot = rows().crossing_dot(d.clip_named("opening"), d.clip_named("night-two"));
  ASSERT_FALSE(dot.isNull());
  const double wide = rows().x_of(2) - rows().x_of(0);
  d.drag(rows().viewport(), dot, dot - QPointF(wide / 4, 0));
  EXPECT_NEAR(crossing()->middle, 0.25, 0.06);
  undo();
  EXPECT_EQ(*crossing(), in);
  // Layered: both sound whole.
  rows().set_layered(true);
  EXPECT_FALSE(crossing());
  rows().set_layered(false);
  EXPECT_TRUE(crossing());
  // A drag and its crossfade are one edit.
  undo(), undo(), undo();
  EXPECT_DOUBLE_EQ(clip("night-two").place.s, was);
  EXPECT_EQ(clip("opening").fade_out, (EdgeFade{0.05, CurveShape::smooth}));
}

TEST_F(SceneRowsTest, AMomentIsBoundAtThePlayheadAndDraggedToAnEvent) {
  open();
  const double begin = clip("beam-sweep").place.s;
  d.click(rows().viewport(), middle("beam-sweep"));
  d.work().listening.seek(ReelTime{begin + 3});
  QTest::qWait(50);
  QTest::keyClick(&d.window, Qt::Key_B);
  ASSERT_EQ(anchors_of(reel(), clip("beam-sweep")).size(), 1U);
  EXPECT_NEAR(anchors_of(reel(), clip("beam-sweep"))[0].out.s, 3, 0.05);
  const auto sounds_s = [&] {
    return whole_heard(d.work().scene.times(reel(), clip("beam-sweep"))).length().s;
  };
  const double length = sounds_s();
  d.edit_reel(edits::add_event, Event{{begin + 4}, "the beam is here"});
  ASSERT_TRUE(ready());
  const QPointF peg = rows().anchor_point(0);
  d.drag(rows().viewport(), peg, {rows().x_of(begin + 4) + 3, peg.y()});
  const auto anchors = anchors_of(reel(), clip("beam-sweep"));
  ASSERT_EQ(anchors.size(), 1U);
  EXPECT_NEAR(anchors[0].out.s, 4, 1e-6) << "it snaps to the event";
  EXPECT_NEAR(sounds_s(), length, 1e-9);
  EXPECT_TRUE(d.window.scene().sentence().sentence().contains("bound at 1 moment"));
  QTest::mouseDClick(rows().viewport(), Qt::LeftButton, {}, rows().anchor_point(0).toPoint());
  EXPECT_TRUE(anchors_of(reel(), clip("beam-sweep")).empty());
  // Where the clip is not heard nothing can be bound; it is told.
  d.work().listening.seek(ReelTime{begin - 2});
  QTest::qWait(50);
  const auto states = d.work().document.history().labels().size();
  QTest::keyClick(&d.window, Qt::Key_B);
  EXPECT_EQ(d.work().document.history().labels().size(), states);
}

TEST_F(SceneRowsTest, MenusOfAClipAndOfAFilmAreWhereTheyAreHeld) {
  open();
  const auto menu_at = [&](QPointF at, const char* name) {
    const QPoint local = at.toPoint();
    QContextMenuEvent held(QContextMenuEvent::Mouse, local, rows().viewport()->mapToGlobal(local));
    QApplication::sendEvent(rows().viewport(), &held);
    auto* menu = d.window.findChild<QMenu*>(name);
    EXPECT_TRUE(menu && menu->isVisible()) << name;
    return menu;
  };
  const auto take = [&](QMenu* menu, const QString& begins) {
    for (QAction* a : menu->actions())
      if (a->text().startsWith(begins)) {
        EXPECT_TRUE(a->isEnabled()) << begins.toStdString();
        a->trigger();
        menu->close();
        EXPECT_TRUE(d.take_keys());
        return;
      }
    ADD_FAILURE() << begins.toStdString();
  };
  // Of a clip: it is chosen, and what is done is done with it.
  const auto clips = reel().clips.size();
  const double was = clip("opening").place.s;
  auto* of_clip = menu_at(middle("opening"), "row_menu");
  EXPECT_EQ(d.work().selection.clip_id(), d.clip_named("opening"));
  d.work().listening.seek(ReelTime{was + 1});
  ASSERT_TRUE(d.wait_for([&] { return std::abs(rows().playhead() - was - 1) < 0.01; }));
  take(of_clip, "Split");
  ASSERT_TRUE(d.wait_for([&] { return reel().clips.size() == clips + 1; }));
  undo();
  take(menu_at(middle("opening"), "row_menu"), "Remove");
  EXPECT_EQ(reel().clips.size(), clips - 1);
  undo();
  // Of the film: it begins at the playhead, and goes back.
  ASSERT_TRUE(ready());
  d.work().listening.seek(ReelTime{3});
  ASSERT_TRUE(d.wait_for([&] { return std::abs(rows().playhead() - 3) < 0.01; }));
  auto* of_film = menu_at({rows().x_of(10), 20}, "film_menu");
  take(of_film, "It begins at the playhead");
  EXPECT_NEAR(reel().films[0].place.s, 3, 0.011);
  undo();
  EXPECT_EQ(reel().films[0].place.s, 0);
  take(menu_at({rows().x_of(10), 20}, "film_menu"), "Take it out");
  EXPECT_TRUE(reel().films.empty());
  undo();
}

// What the menus do with marked clips they do with those of the page in sight.
TEST_F(SceneRowsTest, WhatIsMarkedInTheRowsIsWhatTheMenusMean) {
  open();
  d.click(rows().viewport(), middle("opening"));
  d.click(rows().viewport(), middle("night-two"), Qt::ControlModifier);
  ASSERT_EQ(rows().marked().size(), 2U);
  const auto clips = reel().clips.size();
  ASSERT_NE(entry("Remove from the reel"), nullptr);
  for (QAction* a : d.window.findChildren<QAction*>())
    if (a->text() == "Remove from the reel" && a->parent() != nullptr &&
        a->parent()->objectName() != "row_menu") {
      a->trigger();
      break;
    }
  EXPECT_EQ(reel().clips.size(), clips - 2);
  EXPECT_EQ(d.clip_named("opening").number(), 0);
  EXPECT_EQ(d.clip_named("night-two").number(), 0);
  undo();
  EXPECT_EQ(reel().clips.size(), clips);
}

TEST_F(SceneRowsTest, DraggingThePlayheadIsHeard) {
  open();
  QWidget* on = rows().viewport();
  Player& player = d.work().listening.player();
  const auto loudest = [&] {
    const auto all = d.device().played();
    d.device().forget();
    float most = 0;
    for (const float x : all) most = std::max(most, std::abs(x));
    return most;
  };
  // Over the wind, along the strip of pictures.
  const double from = clip("wind-1").place.s + 1;
  const auto at = [&](double s) { return QPointF(rows().x_of(s), 8).toPoint(); };
  const auto drag_along = [&] {
    QTest::mousePress(on, Qt::LeftButton, {}, at(from));
    QTest::qWait(150);
    loudest();
    for (int i = 1; i <= 8; ++i) {
      QTest::mouseMove(on, at(from + 0.3 * i));
      QTest::qWait(30);
    }
    QTest::qWait(150);
  };
  drag_along();
  EXPECT_GT(loudest(), 1e-3F);
  EXPECT_FALSE(player.playing());
  EXPECT_NEAR(d.work().listening.reel_position().s, rows().playhead(), 1e-3);
  EXPECT_NEAR(rows().playhead(), from + 2.4, 0.3);
  QTest::mouseRelease(on, Qt::LeftButton, {}, at(from + 2.4));
  // A picture further it is heard as well.
  const double before = rows().playhead();
  QTest::keyClick(&rows(), Qt::Key_Right);
  QTest::qWait(150);
  EXPECT_NEAR(rows().playhead() - before, d.work().films.picture_s(), 1e-6);
  EXPECT_GT(loudest(), 1e-3F);
  // Where that is not wanted, it is silent, once what was heard of the picture has ended.
  ASSERT_TRUE(d.wait_for([&] { return loudest() == 0; }));
  entry("Hear where the playhead is dragged")->trigger();
  drag_along();
  EXPECT_EQ(loudest(), 0);
  QTest::mouseRelease(on, Qt::LeftButton, {}, at(from + 2.4));
  entry("Hear where the playhead is dragged")->trigger();
  EXPECT_TRUE(d.work().listening.hears_dragging());
}

TEST_F(SceneRowsTest, ThePointerSaysWhatIsUnderIt) {
  open();
  const auto over = [&](QPointF at) {
    QMouseEvent move(QEvent::MouseMove, at, rows().viewport()->mapToGlobal(at), Qt::NoButton,
                     Qt::NoButton, {});
    QApplication::sendEvent(rows().viewport(), &move);
    return rows().viewport()->cursor().shape();
  };
  EXPECT_EQ(over(middle("night-two")), Qt::SizeHorCursor);
  EXPECT_EQ(over(rows().header_rect(clip("night-two").group).center()), Qt::PointingHandCursor);
  const QRectF row = rows().row_rect(clip("call-in-01").group);
  EXPECT_EQ(over({rows().x_of(65), row.center().y()}), Qt::ArrowCursor) << "nothing lies there";
}

TEST_F(SceneRowsTest, ASpaceAndTheMixHaveARowAndALineOverIt) {
  open();
  const ClipId space = reel().spaces[0].clip.id;
  EXPECT_TRUE(rows().bus_rect().isEmpty());
  for (const ClipId bus : {space, mix_clip_id}) {
    if (bus == space) {
      d.window.scene().spaces().findChild<QToolButton*>("space_name")->click();
    } else {
      d.window.scene().show_beside(ScenePage::Beside::mix);
      d.click(&d.window.scene().mix_row(), {40, 20});
    }
    ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip_id() == bus; }, 60000));
    ASSERT_TRUE(d.window.scene().isVisible()) << "it is chosen here";
    ASSERT_TRUE(d.wait_for([&] { return d.work().scene.sound(bus) != nullptr; }, 60000));
    ASSERT_TRUE(ready());
    const QString said = d.window.scene().sentence().sentence();
    EXPECT_EQ(said.toStdString(), bus == space
                                      ? "Tower stairs hears Ines dialogue -14.0 and 1 clip of its "
                                        "own and is in the mix at 0.0"
                                      : "The mix");
    const QRectF row = rows().bus_rect();
    ASSERT_FALSE(row.isEmpty());
    EXPECT_LE(row.bottom(), rows().viewport()->height()) << "it stays in sight";
    const size_t steps = reel().find(bus)->chain.steps.size();
    rows().toggle_gain_line();
    ASSERT_EQ(reel().find(bus)->chain.steps.size(), steps + 1);
    // Its second point is drawn down, by as much as the row's own ruler says.
    const QPointF point = rows().line_point(1);
    EXPECT_TRUE(row.contains(point));
    d.drag(rows().viewport(), point, {point.x() - 200, row.bottom() - 4});
    const Curve& curve = *curve_of(reel().find(bus)->chain.steps.back().curves, 0);
    ASSERT_EQ(curve.points.size(), 2U);
    EXPECT_NEAR(curve.points[1].value, -60, 1);
    ASSERT_TRUE(d.take_keys());
    undo();
    undo();
    EXPECT_EQ(reel().find(bus)->chain.steps.size(), steps);
  }
  // A clip that is chosen takes the row away.
  d.click(rows().viewport(), middle("opening"));
  EXPECT_TRUE(rows().bus_rect().isEmpty());
}

TEST_F(SceneRowsTest, ASendAndAnySettingAreLinesOverTheRow) {
  open();
  d.click(rows().viewport(), middle("call-in-01"));
  const SpaceId room = reel().spaces[1].id();
  rows().show_line({.space = room});
  const auto level = [&] {
    for (const Send& s : sends_of(reel(), clip("call-in-01")))
      if (s.space == room) return s.level;
    return std::optional<Curve>();
  };
  ASSERT_TRUE(level());
  EXPECT_DOUBLE_EQ(level()->points[0].value, -12) << "it begins as it was";
  EXPECT_TRUE(clip("call-in-01").sends.at(0).place) << "and stands where its group stands";
  const QPointF first = rows().line_point(0);
  d.drag(rows().viewport(), first, first + QPointF(0, 200));
  EXPECT_DOUBLE_EQ(level()->points[0].value, off_send_db);
  rows().take_line_out();
  EXPECT_FALSE(level());
  // A setting of its group's chain counts the reel's seconds.
  const ChainStep& speaker = reel().group_of(clip("call-in-01")).chain.steps[0];
  const int drive = parameter_index(*speaker.type, "drive_db");
  const StepId step = speaker.id;
  rows().show_line({step, drive, 0});
  const auto curve = [&]() -> const Curve* {
    return curve_of(find_step(reel(), clip("call-in-01"), step)->curves, drive);
  };
  ASSERT_TRUE(curve());
  EXPECT_NEAR(curve()->points[0].s, clip("call-in-01").place.s, 1e-6);
  const QPointF last = rows().line_point(1);
  d.drag(rows().viewport(), last, last - QPointF(0, 15));
  EXPECT_GT(curve()->points[1].value, curve()->points[0].value);
  rows().show_line({});
  undo();
}

TEST_F(SceneRowsTest, OnThePlanOneIsDraggedAndTheOtherStays) {
  open();
  d.window.scene().show_beside(ScenePage::Beside::plan);
  QTest::qWait(50);
  const ClipId voice = d.clip_named("lamp-room-04");
  const SpaceId room = reel().spaces[1].id();
  d.click(rows().viewport(), middle("lamp-room-04"));
  ScenePlan& plan = d.window.scene().plan();
  ASSERT_TRUE(d.wait_for([&] { return plan.isVisible() && plan.dot(voice); }));
  const auto place = [&](const std::vector<Send>& sends) {
    return std::ranges::find(sends, room, &Send::space)->place;
  };
  const auto radio = place(reel().group_of(clip("call-in-01")).sends);
  ASSERT_TRUE(radio);
  const QPointF from = *plan.dot(voice);
  const auto edits = d.work().document.history().labels().size();
  d.drag(&plan, from + QPointF(5, 3), from + QPointF(7, 4));
  EXPECT_EQ(d.work().document.history().labels().size(), edits) << "a click moves nobody";
  d.drag(&plan, from, from + QPointF(60, 0));
  const auto now = place(clip("lamp-room-04").sends);
  ASSERT_TRUE(now);
  EXPECT_GT(now->azimuth_deg, 0) << "from the left to the right";
  EXPECT_FALSE(now->azimuth) << "it stands still while nothing plays";
  EXPECT_NEAR(plan.dot(voice)->x(), from.x() + 60, 3);
  EXPECT_EQ(place(reel().group_of(clip("call-in-01")).sends), radio);
  undo();
  EXPECT_NEAR(plan.dot(voice)->x(), from.x(), 1) << "a drag is one edit";
  // The radio is a group's: it is moved as one, with Ctrl one of its clips alone.
  const ClipId call = d.clip_named("call-in-01");
  const QPointF of_radio = *plan.dot(call);
  d.drag(&plan, of_radio, of_radio + QPointF(-20, -10));
  EXPECT_NE(place(reel().group_of(clip("call-in-01")).sends), radio);
  EXPECT_TRUE(clip("call-in-01").sends.empty());
  undo();
  d.drag(&plan, *plan.dot(call), of_radio + QPointF(-20, -10), Qt::ControlModifier);
  EXPECT_EQ(place(reel().group_of(clip("call-in-01")).sends), radio);
  ASSERT_EQ(clip("call-in-01").sends.size(), 1U);
  // While it plays the movement is kept; picture and plan show one.
  d.click(rows().viewport(), middle("lamp-room-04"));
  d.work().listening.seek(ReelTime{clip("lamp-room-04").place.s + 0.2});
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.player().playing(); }, 3000));
  QTest::qWait(100);
  const QPointF begin = *plan.dot(voice);
  QTest::mousePress(&plan, Qt::LeftButton, {}, begin.toPoint());
  for (int i = 1; i <= 20; ++i) {
    const QPointF at = begin + QPointF(3 * i, 0);
    QMouseEvent move(QEvent::MouseMove, at, plan.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, {});
    QApplication::sendEvent(&plan, &move);
    QTest::qWait(40);
  }
  QTest::mouseRelease(&plan, Qt::LeftButton, {}, (begin + QPointF(60, 0)).toPoint());
  QTest::keyClick(&d.window, Qt::Key_Space);
  const auto moved = place(clip("lamp-room-04").sends);
  ASSERT_TRUE(moved && moved->azimuth && moved->distance);
  EXPECT_GT(moved->azimuth->points.size(), 3U);
  EXPECT_GT(moved->azimuth->points.back().value, moved->azimuth->points.front().value + 20);
}

TEST_F(SceneRowsTest, CopiesComeBehindAndMadeSoundsAtThePlayhead) {
  open();
  const double door = clip("door").place.s, long_s = clip_seconds(reel(), clip("door"));
  d.click(rows().viewport(), middle("door"));
  QTest::keyClick(&d.window, Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
  ASSERT_GT(d.clip_named("door 2").number(), 0);
  EXPECT_NEAR(clip("door 2").place.s, door + long_s, 1e-6);
  EXPECT_EQ(d.work().selection.clip_id(), d.clip_named("door 2"));
  undo();
  const test::TempFolder t;
  ASSERT_TRUE(d.edit_reel(edits::set_recording_format, RecordingFormat{false, false, t.path()}));
  d.click(rows().viewport(), middle("wind-1"));
  d.work().listening.seek(ReelTime{20});
  QTest::qWait(50);
  QAction* make = entry("A clip of tone");
  ASSERT_TRUE(make);
  make->trigger();
  auto* sheet = d.window.findChild<MadeSheet*>();
  ASSERT_TRUE(sheet);
  // Up to the next event, the cut to the lamp room.
  double next = 0;
  for (const Event& e : reel().events)
    if (e.at.s > 20 && next == 0) next = e.at.s;
  EXPECT_NEAR(sheet->findChild<QDoubleSpinBox*>("made_seconds")->value(), next - 20, 0.01);
  sheet->findChild<QComboBox*>("made_kind")->setCurrentIndex(1);
  EXPECT_FALSE(sheet->findChild<QDoubleSpinBox*>("made_hz")->isEnabled());
  sheet->findChild<QDoubleSpinBox*>("made_seconds")->setValue(2);
  sheet->findChild<QPushButton*>("made_make")->click();
  ASSERT_TRUE(d.wait_for([&] { return d.clip_named("Pink noise") != 0; }));
  EXPECT_NEAR(clip("Pink noise").place.s, 20, 0.05);
  EXPECT_EQ(reel().group_of(clip("Pink noise")).name, "Wind");
  EXPECT_NEAR(clip_seconds(reel(), clip("Pink noise")), 2, 1e-6);
}

TEST_F(SceneRowsTest, StepsLeaveForAWindowAndComeBack) {
  open();
  d.click(rows().viewport(), middle("gallery-01"));
  ScenePage& page = d.window.scene();
  page.show_steps_window(true);
  QWidget* window = page.steps().window();
  ASSERT_EQ(window->objectName(), "steps_window");
  EXPECT_TRUE(page.steps().isVisible() && page.shows_steps());
  window->close();
  ASSERT_TRUE(d.wait_for([&] { return page.steps().window() == &d.window; }));
  EXPECT_TRUE(page.steps().isVisible());
  page.show_steps_window(true);
  page.show_steps(false);
  EXPECT_EQ(page.steps().window(), &d.window);
  EXPECT_FALSE(page.steps().isVisible());
}

TEST_F(SceneRowsTest, ADearClipKeepsItsSoundUntilItChanges) {
  open();
  const ClipId dear = d.clip_named("gallery-01");
  d.click(rows().viewport(), middle("door"));
  d.work().scene.keep(dear);
  ASSERT_TRUE(d.wait_for([&] { return d.work().scene.kept(dear); }));
  const auto plan = d.work().scene.plan();
  const auto voice = std::ranges::find(plan->voices, dear, &SceneVoice::clip);
  ASSERT_NE(voice, plan->voices.end());
  EXPECT_EQ(voice->plan->rewritten_stage, voice->plan->clip.steps.size());
  EXPECT_TRUE(voice->plan->rewritten);
  // The one that is turned is never kept.
  d.work().scene.keep(d.clip_named("door"));
  QTest::qWait(100);
  EXPECT_FALSE(d.work().scene.kept(d.clip_named("door")));
  d.edit_reel(edits::sit_out_of_group, dear, true);
  ASSERT_TRUE(ready());
  EXPECT_TRUE(d.wait_for([&] { return !d.work().scene.kept(dear); })) << "it sounds otherwise now";
}

}  // namespace
}  // namespace drevan::desktop
