// SPDX-License-Identifier: GPL-3.0-or-later
// A clip that is turned round and stretched: compared, looped, printed and rendered, by the window.
#include <gtest/gtest.h>

#include <QTemporaryDir>

#include "desktop/driver.h"
#include "media/reader.h"
#include "pages/batch/batch_page.h"
#include "steps/catalogue.h"
#include "widgets/segmented.h"

namespace drevan::desktop {
namespace {

namespace fs = std::filesystem;

class ClockTest : public testing::Test {
 protected:
  ClockTest() {
    EXPECT_TRUE(d.open_demo());
    EXPECT_TRUE(d.work().document.save((folder() / "copy.reel").string()));
    QObject::connect(&d.work().notices, &Notices::message,
                     [this](const QString& text, bool) { told << text; });
    d.work().selection.select_clip(d.clip_named("door-slam"));
    EXPECT_TRUE(d.settle());
    length_s = d.work().selection.clip_seconds();
  }
  ~ClockTest() override { d.work().listening.player().pause(); }
  fs::path folder() const { return temp.path().toStdString(); }
  bool was_told(const QString& part) const {
    return std::ranges::any_of(told, [&](const QString& t) { return t.contains(part); });
  }
  void stretch(double pct) {
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("stretch"));
    d.edit(edits::turn, d.step_at(0), 0, pct);
    ASSERT_TRUE(d.settle());
  }

  QTemporaryDir temp;
  Driver d;
  QStringList told;
  double length_s = 0;
};

TEST_F(ClockTest, PlayheadLoopAndComparisonStayInTheClipsTime) {
  stretch(200);
  Listening& listening = d.work().listening;
  ASSERT_TRUE(
      d.wait_for([&] { return listening.plan() && !listening.plan()->from_clip.identity(); }));
  EXPECT_NEAR(listening.plan()->from_clip.out_of(length_s), 2 * length_s, 1e-3);
  listening.seek(ClipTime{1.0});
  ASSERT_TRUE(d.wait_for([&] { return std::abs(listening.clip_position().s - 1) < 0.01; }, 3000));
  EXPECT_NEAR(static_cast<double>(listening.player().position()) / 48000, 2, 0.02);
  // A loop of half a second of the clip is one of what is heard.
  listening.set_loop(ClipRange{1.0, 1.5});
  listening.player().set_listen(Listen::after);
  listening.player().play();
  double least = 9, most = 0;
  QDeadlineTimer two(2600);
  while (!two.hasExpired()) {
    QTest::qWait(20);
    if (!listening.player().playing()) continue;
    least = std::min(least, listening.clip_position().s);
    most = std::max(most, listening.clip_position().s);
  }
  EXPECT_NEAR(least, 1.0, 0.06);
  EXPECT_NEAR(most, 1.5, 0.06);
  // Before goes twice as fast through the clip, and stays within the loop as well.
  listening.player().set_listen(Listen::before);
  QTest::qWait(700);
  for (int i = 0; i < 20; ++i) {
    QTest::qWait(20);
    EXPECT_GT(listening.clip_position().s, 0.93);
    EXPECT_LT(listening.clip_position().s, 1.57);
  }
  EXPECT_TRUE(listening.no_removed().contains("do not lie on each other"));
  auto* compare = d.window.findChild<Segmented*>("compare");
  ASSERT_NE(compare, nullptr);
  Q_EMIT compare->chosen(2);
  EXPECT_TRUE(was_told("Nothing can be taken away"));
  listening.player().pause();
}

TEST_F(ClockTest, PanSaysWhyNothingIsRemoved) {
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("pan"));
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] {
    return d.work().listening.plan() && d.work().listening.plan()->clip.steps.size() == 1;
  }));
  EXPECT_TRUE(d.work().listening.no_removed().contains("1 channel and after 2 channels"))
      << d.work().listening.no_removed().toStdString();
}

TEST_F(ClockTest, PrintedItIsAVersionOfItsNewLengthAndABatchRendersIt) {
  d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("reverse"));
  stretch(150);
  d.window.show_place(MainWindow::Place::batch);
  BatchPage& batch = d.window.batch();
  batch.set_folder(QString::fromStdString((folder() / "out").string()));
  for (int row = 0; row < batch.table().model()->rowCount(); ++row) {
    const auto index = batch.table().model()->index(row, 0);
    batch.table().model()->setData(
        index, index.data().toString() == "door-slam" ? Qt::Checked : Qt::Unchecked,
        Qt::CheckStateRole);
  }
  batch.render();
  ASSERT_TRUE(d.wait_for(
      [&] { return !batch.rendering() && fs::exists(folder() / "out" / "door-slam.wav"); }));
  const auto rendered = open_audio(folder() / "out" / "door-slam.wav")->info();
  EXPECT_EQ(rendered.frames, std::llround(length_s * 1.5 * 48000));
  d.window.show_place(MainWindow::Place::bench);
  // Into a selection it cannot be printed, but whole.
  d.work().printing.print(ClipRange{0.5, 1.0});
  ASSERT_TRUE(
      d.wait_for([&] { return !d.work().printing.busy() && was_told("print the whole clip"); }));
  d.work().printing.print(std::nullopt);
  ASSERT_TRUE(d.wait_for(
      [&] { return !d.work().printing.busy() && d.work().selection.clip()->version == 1; }));
  EXPECT_NEAR(d.work().selection.clip_seconds(), length_s * 1.5, 1e-4);
  ASSERT_TRUE(d.settle());
  d.work().document.undo();
  EXPECT_NEAR(d.work().selection.clip_seconds(), length_s, 1e-4);
  EXPECT_EQ(d.steps().size(), 2U);
}

}  // namespace
}  // namespace drevan::desktop
