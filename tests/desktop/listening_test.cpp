// SPDX-License-Identifier: GPL-3.0-or-later
// What is read off and listened to: levels of a selection, places over full scale, what was heard,
// starting points, where sound comes out, what went wrong.
#include <gtest/gtest.h>

#include <QAction>
#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSettings>
#include <QTemporaryDir>
#include <QToolButton>
#include <set>

#include "application.h"
#include "audio/decibel.h"
#include "audio/replace_file.h"
#include "dialogs/help_window.h"
#include "dialogs/sound_sheet.h"
#include "dialogs/trouble_sheet.h"
#include "driver.h"
#include "pages/bench/selection_levels.h"
#include "steps/catalogue.h"
#include "support/sounds.h"
#include "work/document.h"
#include "work/heard.h"
#include "work/jobs.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/remedies.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"
#include "work/sound_output.h"

namespace drevan::desktop {
namespace {

class ListeningTest : public testing::Test {
 protected:
  // Two seconds at -20 dB, two at -40, and three lone samples over full scale once 26 dB are added.
  ListeningTest() {
    AudioBuffer x = test::sine(1000, 0.1, 4);
    for (size_t i = 96000; i < 192000; ++i) x.channel(0)[i] *= 0.1F;
    for (const size_t at : {24000, 110000, 170000}) x.channel(0)[at] = 0.3F;
    test::write_wav(folder / "two levels.wav", x);
    d.window.open_files({QString::fromStdString((folder / "two levels.wav").string())});
    EXPECT_TRUE(d.wait_for([this] { return d.work().selection.clip() != nullptr; }));
    EXPECT_TRUE(d.settle());
  }
  // Drags over a part of the scope, seconds.
  void select(double from, double to) {
    Scope& scope = d.bench().scope();
    d.drag(&scope, {scope.x_of(from), 40}, {scope.x_of(to), 40});
  }
  test::TempFolder folder;
  Driver d;
};

TEST_F(ListeningTest, ASelectionTellsItsLoudnessAndFloorBeforeAndAfter) {
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.edit(edits::turn, d.step_at(0), 0, 6.0);
  ASSERT_TRUE(d.settle());
  select(2.5, 3.4);
  auto* levels = d.bench().scope().findChild<SelectionLevels*>();
  ASSERT_TRUE(d.wait_for([&] { return levels->levels() != nullptr; }));
  // ITU-R BS.1770: a 1 kHz sine in one channel reads 3.01 dB below its peak.
  EXPECT_NEAR(*levels->levels()->before.loudness_lufs, -43.0, 0.3);
  EXPECT_NEAR(*levels->levels()->after.loudness_lufs, -37.0, 0.3);
  EXPECT_NEAR(*levels->levels()->after.sample_peak_dbfs, -34.0, 0.1);
  ASSERT_TRUE(levels->levels()->after.noise_floor_dbfs.has_value());
  // They follow the chain.
  d.edit(edits::turn, d.step_at(0), 0, 12.0);
  EXPECT_TRUE(d.wait_for([&] {
    return levels->levels() && std::abs(*levels->levels()->after.loudness_lufs + 31.0) < 0.3;
  }));
  d.bench().scope().select(std::nullopt);
  EXPECT_EQ(levels->levels(), nullptr);
}

TEST_F(ListeningTest, TheLampCountsPlacesOverFullScaleAndGoesFromOneToTheNext) {
  EXPECT_FALSE(d.bench().foot().meter().lamp());
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.edit(edits::turn, d.step_at(0), 0, 12.0);
  ASSERT_TRUE(d.settle());
  Meter& meter = d.bench().foot().meter();
  EXPECT_EQ(meter.places(), 3);
  EXPECT_TRUE(meter.lamp());
  const QPointF lamp(meter.width() - 20.0, meter.height() / 2.0);
  for (const double place : {24000, 110000, 170000, 24000}) {
    d.click(&meter, lamp);
    EXPECT_NEAR(d.work().listening.clip_position().s, place / 48000, 0.006);
  }
  QTest::keyClick(&d.window, Qt::Key_O, Qt::ShiftModifier);
  EXPECT_NEAR(d.work().listening.clip_position().s, 110000 / 48000.0, 0.006);
  d.work().document.undo();
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(meter.places(), 0);
  EXPECT_FALSE(meter.lamp());
}

TEST_F(ListeningTest, WhatWasHeardIsKnownUntilTheChainChangesAndOutlivesClosing) {
  const ClipId clip = d.work().selection.clip_id();
  ASSERT_TRUE(d.wait_for([&] { return d.work().heard.share(clip).has_value(); }));
  EXPECT_EQ(d.work().heard.share(clip), 0.0);
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.clip_position().s > 1.2; }));
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }));
  const double some = *d.work().heard.share(clip);
  EXPECT_GT(some, 0.2);
  EXPECT_LT(some, 0.6);
  // Before is not what will be rendered.
  d.work().listening.seek(ClipTime{2.5});
  QTest::keyClick(&d.window, Qt::Key_1);
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return d.work().listening.clip_position().s > 3.2; }));
  EXPECT_NEAR(*d.work().heard.share(clip), some, 0.01);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }));
  QTest::keyClick(&d.window, Qt::Key_2);
  d.work().listening.seek(ClipTime{0});
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }));
  EXPECT_EQ(d.work().heard.share(clip), 1.0);

  // Kept beside the reel.
  const auto file = folder / "heard.reel";
  ASSERT_TRUE(d.work().document.save(file));
  d.work().document.new_reel();
  ASSERT_TRUE(d.work().document.open(file));
  ASSERT_TRUE(d.settle());
  EXPECT_TRUE(d.wait_for([&] { return d.work().heard.share(clip) == 1.0; }));

  // Another sound nobody has heard; back again, it was.
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
  d.edit(edits::turn, d.step_at(0), 0, 3.0);
  ASSERT_TRUE(d.settle());
  EXPECT_TRUE(d.wait_for([&] { return d.work().heard.share(clip) == 0.0; }));
  d.work().document.undo();
  d.work().document.undo();
  EXPECT_TRUE(d.wait_for([&] { return d.work().heard.share(clip) == 1.0; }));
}

TEST_F(ListeningTest, AStartingPointRestedUponIsHeardAndLeavesNoTrace) {
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("compressor"));
  ASSERT_TRUE(d.settle());
  d.work().selection.select_step(d.step_at(0));
  ASSERT_TRUE(d.settle());
  const Reel before = d.work().document.reel();
  QToolButton* points = nullptr;
  for (auto* b : d.bench().editor().findChildren<QToolButton*>())
    if (b->text() == "Starting points") points = b;
  ASSERT_NE(points, nullptr);
  QMenu* menu = points->menu();
  menu->popup(d.window.mapToGlobal(QPoint(400, 400)));
  ASSERT_TRUE(d.wait_for([&] { return menu->isVisible(); }));
  QTest::keyClick(menu, Qt::Key_Down);
  QTest::keyClick(menu, Qt::Key_Down);
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.previewing(); }, 3000));
  EXPECT_FALSE(d.steps()[0].settings == before.clips[0].chain.steps[0].settings);
  EXPECT_TRUE(menu->isVisible());
  QTest::keyClick(menu, Qt::Key_Escape);
  EXPECT_FALSE(d.work().document.previewing());
  EXPECT_TRUE(d.work().document.reel() == before);
  // Chosen, it is an edit.
  menu->popup(d.window.mapToGlobal(QPoint(400, 400)));
  ASSERT_TRUE(d.wait_for([&] { return menu->isVisible(); }));
  QTest::keyClick(menu, Qt::Key_Down);
  QTest::keyClick(menu, Qt::Key_Down);
  QTest::keyClick(menu, Qt::Key_Return);
  EXPECT_FALSE(d.work().document.previewing());
  EXPECT_FALSE(d.work().document.reel() == before);
  d.work().document.undo();
  EXPECT_TRUE(d.work().document.reel() == before);
}

TEST(Trim, SnapsToWhereSpeechBeginsUnlessAltIsHeld) {
  test::TempFolder folder;
  AudioBuffer x = test::noise(0.0005, 12, 3);
  test::add(x, test::words(0.3, 3), 4.0);
  test::write_wav(folder / "a line.wav", x);
  Driver d;
  d.window.open_files({QString::fromStdString((folder / "a line.wav").string())});
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip() != nullptr; }));
  ASSERT_TRUE(d.settle());
  Scope& scope = d.bench().scope();
  // As a hand does: to about there, a short rest, let go.
  const auto drag_end_to = [&](double s, Qt::KeyboardModifiers keys) {
    const QPointF from = scope.trim_grip(false), to(scope.x_of(s), from.y());
    QTest::mousePress(&scope, Qt::LeftButton, keys, from.toPoint());
    for (int i = 1; i <= 40; ++i) {
      const QPointF at = i < 6 ? from + (to - from) * i / 6 : to;
      QMouseEvent move(QEvent::MouseMove, at, scope.mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                       keys);
      QApplication::sendEvent(&scope, &move);
      QTest::qWait(10);
    }
    QTest::mouseRelease(&scope, Qt::LeftButton, keys, to.toPoint());
    return d.wait_for([&] { return d.work().selection.clip()->begin != 0; });
  };
  const auto begins = [&] { return static_cast<double>(d.work().selection.clip()->begin) / 48000; };
  // Speech begins at 4 s; 0.15 s of air are kept before it.
  ASSERT_TRUE(drag_end_to(3.82, {}));
  EXPECT_NEAR(begins(), 3.85, 0.025);
  d.work().document.undo();
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(drag_end_to(3.80, Qt::AltModifier));
  EXPECT_NEAR(begins(), 3.80, 0.012);
}

// A list of devices that changes while it is open.
TEST_F(ListeningTest, SoundSettingsFollowWhatComesAndGoesAndTakeHoldAtOnce) {
  QSettings().remove("sound");
  std::mutex mutex;
  std::vector<SoundDevice> there{{"pulse", "Desk speakers", 2, true},
                                 {"pulse", "Headphones", 2, false},
                                 {"jack", "Interface", 8, true}};
  SoundSheet sheet(d.work(), &d.window, [&] {
    const std::lock_guard lock(mutex);
    return there;
  });
  sheet.show();
  const auto box = [&](const char* name) { return sheet.findChild<QComboBox*>(name); };
  ASSERT_TRUE(d.wait_for([&] { return box("device")->count() == 3; }));
  EXPECT_EQ(box("driver")->count(), 3);
  EXPECT_EQ(box("driver")->currentIndex(), 0);
  EXPECT_EQ(box("device")->currentText(), "the standard output");
  const auto choose = [](QComboBox* b, int index) {
    b->setCurrentIndex(index);
    Q_EMIT b->activated(index);
  };
  choose(box("driver"), 2);
  EXPECT_EQ(box("driver")->currentText(), "JACK");
  ASSERT_EQ(box("device")->count(), 2);
  EXPECT_EQ(box("channels")->count(), 4);
  choose(box("device"), 1);
  choose(box("channels"), 2);
  choose(box("buffer"), 4);
  const SoundOutput kept = kept_output();
  EXPECT_EQ(kept.wish.driver, "jack");
  EXPECT_EQ(kept.wish.name, "Interface");
  EXPECT_EQ(kept.wish.first_channel, 4);
  EXPECT_EQ(kept.wish.buffer_frames, 1024);
  EXPECT_TRUE(kept.asked().or_another);
  choose(box("when_gone"), 1);
  EXPECT_FALSE(kept_output().asked().or_another);

  // It goes: what is wished for stays, and says that it is not there.
  {
    const std::lock_guard lock(mutex);
    there.pop_back();
  }
  sheet.look();
  EXPECT_TRUE(d.wait_for([&] { return box("device")->currentText().contains("(not there)"); }));
  EXPECT_EQ(kept_output().wish.name, "Interface");
  // All of them go, and come back.
  {
    const std::lock_guard lock(mutex);
    there.clear();
  }
  sheet.look();
  EXPECT_TRUE(d.wait_for([&] { return box("driver")->currentText().contains("(not running)"); }));
  {
    const std::lock_guard lock(mutex);
    there = {{"jack", "Interface", 8, true}};
  }
  sheet.look();
  EXPECT_TRUE(d.wait_for([&] { return box("device")->currentText() == "Interface"; }));
  QSettings().remove("sound");
}

TEST_F(ListeningTest, TheTestToneIsHeard) {
  SoundSheet sheet(d.work(), &d.window);
  sheet.show();
  QTest::mouseClick(sheet.findChild<QPushButton*>("tone"), Qt::LeftButton);
  EXPECT_TRUE(d.wait_for([&] { return std::abs(test::rms_db(d.heard(100)) + 23.01) < 0.3; }));
}

TEST_F(ListeningTest, EveryFailureHasAMoreWithWhatToDo) {
  auto* more = d.window.findChild<QToolButton*>("more");
  ASSERT_NE(more, nullptr);
  d.work().notices.tell("All is well.");
  EXPECT_FALSE(more->isVisible());
  d.work().notices.warn(problem_of(cannot_write("/room tone/out.wav", ENOSPC)));
  ASSERT_TRUE(more->isVisible());
  QTest::mouseClick(more, Qt::LeftButton);
  auto* sheet = d.window.findChild<TroubleSheet*>();
  ASSERT_NE(sheet, nullptr);
  EXPECT_TRUE(sheet->findChild<QLabel*>("what_to_do")->text().contains("disk has no room"));
  for (auto* b : sheet->findChildren<QPushButton*>()) {
    if (b->text() == "Copy") b->click();
    if (b->text() == "In the manual") b->click();
  }
  EXPECT_TRUE(QApplication::clipboard()->text().contains("disk is full"));
  auto* help = d.window.findChild<HelpWindow*>();
  ASSERT_NE(help, nullptr);
  EXPECT_EQ(help->chapter(), "When something goes wrong");
}

// Every remedy's chapter is one of the manual's.
TEST(Remedies, NameChaptersThatAreThere) {
  HelpWindow help;
  std::set<QString> told;
  for (int i = 0; i < cause_count; ++i) {
    const Remedy remedy = remedy_for(static_cast<Cause>(i));
    EXPECT_FALSE(remedy.what_to_do.isEmpty()) << i;
    EXPECT_TRUE(help.show_chapter(remedy.chapter)) << remedy.chapter.toStdString();
    told.insert(remedy.what_to_do);
  }
  EXPECT_EQ(std::ssize(told), cause_count) << "each cause has advice of its own";
}

// What is thrown while an event is handled, here of any kind, is told; the program goes on.
TEST(ApplicationTest, AnExceptionInAnEventBecomesAMessage) {
  auto* app = qobject_cast<Application*>(QCoreApplication::instance());
  ASSERT_NE(app, nullptr);
  std::vector<Problem> told;
  app->failed = [&](const Problem& why) { told.push_back(why); };
  for (int what = 0; what < 3; ++what)
    QTimer::singleShot(0, app, [what] {
      if (what == 0) throw std::bad_alloc();
      if (what == 1) throw Error(Error::Kind::input, Cause::damaged, "It ends.");
      throw 7;
    });
  for (int i = 0; i < 100 && told.size() < 3; ++i) QTest::qWait(10);
  app->failed = {};
  ASSERT_EQ(told.size(), 3U);
  EXPECT_EQ(told[0].cause, Cause::memory);
  EXPECT_EQ(told[1].text, "It ends.");
  EXPECT_EQ(told[2].cause, Cause::other);
}

}  // namespace
}  // namespace drevan::desktop
