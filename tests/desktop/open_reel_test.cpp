// SPDX-License-Identifier: GPL-3.0-or-later
// What was begun in one reel, or for one clip, never meets another: drags, fields, sheets, lanes.
#include <gtest/gtest.h>

#include <QDialog>
#include <QLineEdit>
#include <QPointer>
#include <QTest>

#include "desktop/scene_fixture.h"
#include "dialogs/history_dialog.h"
#include "dialogs/made_sheet.h"
#include "dialogs/recording_sheet.h"
#include "dialogs/rules_dialog.h"
#include "dialogs/uneven_dialog.h"
#include "dialogs/versions_dialog.h"
#include "reel/edits/groups.h"
#include "reel/scene/recording.h"
#include "reel/scene/scene_edits.h"
#include "work/heard.h"
#include "work/jobs.h"
#include "work/open_reel.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

class OpenReelTest : public SceneFixture {
 protected:
  test::TempFolder folder;
  void mouse(QEvent::Type type, QPointF at, Qt::KeyboardModifiers keys = {}) {
    QMouseEvent e(type, at, rows().viewport()->mapToGlobal(at), Qt::LeftButton,
                  type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, keys);
    QCoreApplication::sendEvent(rows().viewport(), &e);
  }
  // Held, and moved a little.
  void hold(QPointF at) {
    mouse(QEvent::MouseButtonPress, at);
    mouse(QEvent::MouseMove, at + QPointF(12, 0), Qt::AltModifier);
  }
  void move_and_let_go(QPointF at) {
    mouse(QEvent::MouseMove, at + QPointF(30, 0), Qt::AltModifier);
    mouse(QEvent::MouseButtonRelease, at + QPointF(30, 0));
  }
};

TEST_F(OpenReelTest, AClipThatGoesWhileItIsDraggedIsLetGo) {
  open();
  const QPointF at = middle("night-two");
  hold(at);
  const std::vector<ClipId> gone{d.clip_named("night-two")};
  d.edit_reel(edits::remove_clips, gone);
  const Reel before = reel();
  move_and_let_go(at);
  EXPECT_EQ(reel(), before);
}

TEST_F(OpenReelTest, AnEndThatIsDraggedIsNotTheNeighbours) {
  open();
  d.click(rows().viewport(), middle("night-two"));
  const QRectF r = rows().clip_rect(d.clip_named("night-two"));
  const QPointF end(r.right() - 1, r.center().y());
  hold(end);
  const std::vector<ClipId> gone{d.clip_named("night-two")};
  d.edit_reel(edits::remove_clips, gone);
  const Reel before = reel();
  mouse(QEvent::MouseMove, end - QPointF(40, 0), Qt::AltModifier);
  mouse(QEvent::MouseButtonRelease, end - QPointF(40, 0));
  EXPECT_EQ(reel(), before) << "what is selected now was not held";
}

TEST_F(OpenReelTest, AnEventThatIsUndoneWhileItIsDraggedIsLetGo) {
  open();
  d.edit_reel(edits::add_event, Event{{30}, "bell"});
  const EventId id = reel().last_event_id;
  const QPointF at = rows().event_rect(id).topLeft() + QPointF(5, 8);
  hold(at);
  for (int i = 0; i < 3; ++i) d.work().document.undo();
  EXPECT_FALSE(find_event(reel(), id));
  const Reel before = reel();
  move_and_let_go(at);
  EXPECT_EQ(reel(), before);
}

TEST_F(OpenReelTest, AnEventThatPassesAnotherMovesAlone) {
  open();
  d.edit_reel(edits::add_event, Event{{30}, "one"});
  const EventId one = reel().last_event_id;
  d.edit_reel(edits::add_event, Event{{30.05}, "two"});
  const EventId two = reel().last_event_id;
  d.click(rows().viewport(), rows().event_rect(one).topLeft() + QPointF(5, 8));
  ASSERT_TRUE(rows().event());
  const EventId moved = *rows().event(), other = moved == one ? two : one;
  const ReelTime stays = find_event(reel(), other)->at;
  for (int i = 0; i < 5; ++i) rows().nudge(moved == one ? 0.04 : -0.04);
  EXPECT_EQ(find_event(reel(), other)->at, stays);
  EXPECT_NEAR(std::abs((find_event(reel(), moved)->at - stays).s), 0.15, 1e-6);
}

TEST_F(OpenReelTest, AnotherReelEndsDragsFieldsAndSheets) {
  open();
  const Work& w = d.work();
  std::vector<QPointer<QDialog>> sheets;
  const auto show = [&](QDialog* sheet) {
    sheet->show();
    sheets.emplace_back(sheet);
  };
  show(new MadeSheet(w, ReelTime{3}, &d.window));
  show(new UnevenDialog(w, &d.window));
  show(new RulesDialog(w, &d.window));
  show(new VersionsDialog(w, &d.window));
  show(new HistoryDialog(w, &d.window));
  show(new RecordingSheet(w, &d.window));
  page().mark_event();
  EXPECT_TRUE(rows().findChild<QLineEdit*>("event_name"));
  hold(middle("night-two"));
  ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel"));
  QTest::qWait(50);
  for (const auto& sheet : sheets) EXPECT_TRUE(!sheet || !sheet->isVisible());
  const auto* name = rows().findChild<QLineEdit*>("event_name");
  EXPECT_TRUE(!name || !name->isVisible());
  const Reel before = reel();
  move_and_let_go({400, 300});
  EXPECT_EQ(reel(), before);
}

// A group that is made in the Scene has no field on a shelf that nobody sees.
TEST_F(OpenReelTest, AFieldNeverOpensWhereItIsNotSeen) {
  open();
  d.click(rows().viewport(), middle("night-two"));
  QTest::keyClick(&d.window, Qt::Key_G, Qt::ControlModifier);
  EXPECT_EQ(reel().groups.back().name, "New group");
  for (auto* field : d.window.findChildren<QLineEdit*>("name")) EXPECT_FALSE(field->isVisible());
}

// What is heard alone is a row, whatever it is called and wherever it stands; and of this reel
// alone.
TEST_F(OpenReelTest, ARowStaysAloneWhenItIsRenamedAndMovedAndEndsWithItsReel) {
  open();
  const auto& scene = d.work().scene;
  const GroupId alone = clip("call-in-01").group, other = clip("opening").group;
  d.click(rows().viewport(), rows().header_rect(alone).topLeft() + QPointF(30, 45));
  ASSERT_EQ(scene.row(alone), SceneSounds::Row::alone);
  d.click(rows().viewport(), rows().header_rect(other).topLeft() + QPointF(30, 10));
  ASSERT_TRUE(rows().folded(other));
  d.edit_reel(edits::rename_group, alone, std::string("The coast"));
  d.edit_reel(edits::move_group, alone, reel().groups.back().id);
  d.edit_reel(edits::rename_group, other, std::string("She who tells"));
  EXPECT_EQ(reel().groups.back().id, alone);
  EXPECT_TRUE(scene.row_sounds(alone));
  EXPECT_FALSE(scene.row_sounds(other));
  EXPECT_TRUE(rows().folded(other));
  // The heading stands in its new row.
  EXPECT_GT(rows().header_rect(alone).top(), rows().header_rect(other).top());
  for (int i = 0; i < 3; ++i) undo();
  EXPECT_TRUE(scene.row_sounds(alone) && !scene.row_sounds(other));
  ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel"));
  for (const Group& group : reel().groups) {
    EXPECT_TRUE(scene.row_sounds(group.id)) << group.name;
    EXPECT_FALSE(rows().folded(group.id)) << group.name;
  }
}

// Made into one clip, then another reel is opened: nothing of it is done there.
TEST_F(OpenReelTest, OneClipThatIsBeingMadeIsNotMadeInAnotherReel) {
  open();
  d.edit_reel(edits::set_recording_format, RecordingFormat{false, false, folder.path()});
  d.work().jobs.make_one({d.clip_named("stairs-02"), d.clip_named("stairs-03")});
  ASSERT_TRUE(d.work().document.open(DREVAN_SOURCE_DIR "/demo/skerry-light.reel"));
  const Reel before = reel();
  QTest::qWait(1500);
  EXPECT_FALSE(d.work().jobs.making());
  EXPECT_EQ(reel(), before);
}

// What is heard in the Scene is heard of the clips that sound, not of the one that is selected.
TEST_F(OpenReelTest, WhatSoundsInTheSceneIsHeard) {
  open();
  const ClipId selected = d.clip_named("night-two"), sounds = d.clip_named("stairs-02");
  d.work().selection.select_clip(selected);
  const double from = clip("stairs-02").place.s + 0.5;
  d.work().listening.seek(ReelTime{from});
  play(1500);
  pause();
  ASSERT_TRUE(d.wait_for([&] { return d.work().shelf.wanted_key(sounds) != 0; }, 20000));
  const auto parts = d.work().heard.parts(sounds);
  ASSERT_FALSE(parts.empty());
  EXPECT_NEAR(parts[0].begin.s, 0.5, 0.4);
  EXPECT_TRUE(d.work().heard.parts(selected).empty());
}

}  // namespace
}  // namespace drevan::desktop
