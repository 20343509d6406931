// SPDX-License-Identifier: GPL-3.0-or-later
// Curves drawn by mouse and keys under the waveform, turned while it plays, and heard.
#include <gtest/gtest.h>

#include <QLineEdit>
#include <QTemporaryDir>
#include <QToolButton>

#include "desktop/driver.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"
#include "widgets/value_slider.h"

namespace drevan::desktop {
namespace {

constexpr double seconds = 4;

// A steady tone of four seconds, a gain upon it.
class CurveLaneTest : public testing::Test {
 protected:
  CurveLaneTest() {
    AudioBuffer tone = test::sine(440, 0.5, seconds);
    const std::filesystem::path file = temp.filePath("tone.wav").toStdString();
    test::write_wav(file, tone);
    const std::vector<edits::NewClip> clips{{examine_source(file), "Tones"}};
    d.work().document.new_reel();
    EXPECT_TRUE(d.edit_reel(edits::add_clips, clips));
    EXPECT_TRUE(d.settle());
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step("gain"));
    EXPECT_TRUE(d.settle());
    d.bench().scope().show_all();
    QTest::qWait(30);
  }
  ~CurveLaneTest() override { d.work().listening.player().pause(); }
  CurveLane& lane() { return d.bench().lane(); }
  ValueSlider& gain() { return *d.bench().editor().slider("gain_db"); }
  const Curve* curve() { return curve_of(d.steps()[0].curves, 0); }
  // As a user does: the value is clicked, the button beside it says "over time".
  void open() {
    d.click(&gain(), {gain().width() - 30.0, gain().height() / 2.0});
    auto* button = gain().findChild<QToolButton*>("over_time");
    ASSERT_NE(button, nullptr);
    QTest::mouseClick(button, Qt::LeftButton);
    ASSERT_TRUE(lane().isVisible());
    QTest::qWait(30);
  }
  // Level that was played around a moment of the clip, dB: playing once from the start.
  std::vector<double> levels_heard(std::initializer_list<double> at_s) {
    Listening& listening = d.work().listening;
    Player& player = listening.player();
    EXPECT_TRUE(d.settle());
    EXPECT_TRUE(d.wait_for([&] { return listening.plan() != nullptr; }));
    listening.seek(ClipTime{0});
    player.set_listen(Listen::after);
    QTest::qWait(200);
    const size_t before = d.device().played().size();
    player.play();
    EXPECT_TRUE(d.wait_for([&] { return !player.playing() && player.position() == 0; }, 9000) ||
                !player.playing());
    const auto all = d.device().played();
    size_t first = before;
    while (first < all.size() && all[first] == 0.0F) ++first;
    std::vector<double> out;
    for (const double s : at_s) {
      const size_t from = first + 2 * static_cast<size_t>((s - 0.02) * 48000);
      if (from + 3840 > all.size()) return {};
      out.push_back(test::rms_db(std::span(all).subspan(from, 3840)));
    }
    return out;
  }

  QTemporaryDir temp;
  Driver d;
};

TEST_F(CurveLaneTest, ACurveIsDrawnByMouseHeardAndUndone) {
  open();
  d.click(&lane(), lane().place_of(1.0, -40));
  ASSERT_TRUE(curve());
  EXPECT_NEAR(curve()->points[0].s, 1, 0.01);
  EXPECT_NEAR(curve()->points[0].value, -40, 1);
  d.click(&lane(), lane().place_of(3.0, 0));
  ASSERT_EQ(curve()->points.size(), 2U);
  // A point is dragged; all of the drag is one edit.
  const auto edits = d.work().document.history().labels().size();
  d.drag(&lane(), lane().point_at(1), lane().place_of(3.0, -10));
  EXPECT_NEAR(curve()->points[1].value, -10, 1);
  EXPECT_EQ(d.work().document.history().labels().size(), edits + 1);
  // A double click types its value exactly.
  QTest::mouseDClick(&lane(), Qt::LeftButton, {}, lane().point_at(1).toPoint());
  auto* entry = lane().findChild<QLineEdit*>("entry");
  ASSERT_NE(entry, nullptr);
  QTest::keyClicks(entry, "-6");
  QTest::keyClick(entry, Qt::Key_Return);
  EXPECT_EQ(curve()->points[1].value, -6);
  QTest::qWait(20);
  QTest::mouseDClick(&lane(), Qt::LeftButton, {}, lane().point_at(0).toPoint());
  entry = lane().findChild<QLineEdit*>("entry");
  ASSERT_NE(entry, nullptr);
  QTest::keyClicks(entry, "-36");
  QTest::keyClick(entry, Qt::Key_Return);

  const double tone = 20 * std::log10(0.5 / std::sqrt(2));
  const auto heard = levels_heard({0.5, 2.0, 3.5});
  ASSERT_EQ(heard.size(), 3U);
  EXPECT_NEAR(heard[0], tone - 36, 0.7);
  EXPECT_NEAR(heard[1], tone - 21, 0.7);  // half way, straight in dB
  EXPECT_NEAR(heard[2], tone - 6, 0.7);
  // Undo takes it back, point by point.
  for (int i = 0; i < 6 && curve(); ++i) d.work().document.undo();
  EXPECT_FALSE(curve());
  EXPECT_TRUE(lane().isVisible());
}

TEST_F(CurveLaneTest, PointsAreReachedByKeys) {
  open();
  lane().setFocus();
  d.work().listening.seek(ClipTime{2});
  ASSERT_TRUE(
      d.wait_for([&] { return std::abs(d.work().listening.clip_position().s - 2) < 0.01; }));
  QTest::qWait(50);
  QTest::keyClick(&lane(), Qt::Key_Insert);
  ASSERT_TRUE(curve());
  EXPECT_NEAR(curve()->points[0].s, 2, 0.02);
  EXPECT_EQ(curve()->points[0].value, 0);
  QTest::keyClick(&lane(), Qt::Key_Up);
  const double high = curve()->points[0].value;
  EXPECT_GT(high, 0);
  QTest::keyClick(&lane(), Qt::Key_Down, Qt::ShiftModifier);
  EXPECT_LT(curve()->points[0].value, high);
  EXPECT_GT(curve()->points[0].value, 0);
  const double s = curve()->points[0].s;
  QTest::keyClick(&lane(), Qt::Key_Right);
  EXPECT_GT(curve()->points[0].s, s);
  QTest::keyClick(&lane(), Qt::Key_Delete);
  EXPECT_FALSE(curve());
}

TEST_F(CurveLaneTest, TheSliderFollowsWhilePlayingAndRaisesTheWholeCurveWhenTurned) {
  d.edit(edits::set_curve, d.step_at(0), 0, std::optional<Curve>{{{{0, -30}, {4, 0}}}});
  EXPECT_TRUE(lane().isVisible());
  ASSERT_TRUE(d.settle());
  Listening& listening = d.work().listening;
  ASSERT_TRUE(d.wait_for([&] { return listening.plan() != nullptr; }));
  listening.seek(ClipTime{0});
  listening.player().play();
  double most_off = 0;
  int looked = 0;
  ASSERT_TRUE(d.wait_for([&] {
    const double s = listening.clip_position().s;
    if (s > 0.4 && s < 3.5 && listening.player().playing()) {
      most_off = std::max(most_off, std::abs(gain().value() - (-30 + 30 * s / 4)));
      ++looked;
    }
    return s > 3.5;
  }));
  listening.player().pause();
  EXPECT_GT(looked, 20);
  EXPECT_LT(most_off, 2.5);  // a third of a second
  listening.seek(ClipTime{2});
  ASSERT_TRUE(d.wait_for([&] { return std::abs(gain().value() + 15) < 0.2; }, 3000));
  gain().setFocus();
  const double before = gain().value();
  QTest::keyClick(&gain(), Qt::Key_Right);
  const double by = curve()->points[0].value + 30;
  EXPECT_GT(by, 0.2);
  EXPECT_NEAR(curve()->points[1].value, by, 1e-6);
  QTest::qWait(50);
  EXPECT_NEAR(gain().value(), before + by, 1e-6);
}

// The wheel raises the curve as it is now, not as it was when it was turned last.
TEST_F(CurveLaneTest, WhatIsDrawnBetweenTwoTurnsStays) {
  d.edit(edits::set_curve, d.step_at(0), 0, std::optional<Curve>{{{{0, -30}, {4, -10}}}});
  ASSERT_TRUE(d.settle());
  const auto wheel = [&] {
    QWheelEvent e({20, 20}, gain().mapToGlobal(QPointF(20, 20)), {}, {0, 120}, Qt::NoButton, {},
                  Qt::NoScrollPhase, false);
    QApplication::sendEvent(&gain(), &e);
  };
  wheel();
  const double once = curve()->points[0].value;
  EXPECT_GT(once, -30);
  d.click(&lane(), lane().place_of(2, -40));
  ASSERT_EQ(curve()->points.size(), 3U);
  wheel();
  ASSERT_EQ(curve()->points.size(), 3U);
  EXPECT_GT(curve()->points[0].value, once);
  d.work().document.undo();
  EXPECT_EQ(curve()->points.size(), 3U);
  EXPECT_EQ(curve()->points[0].value, once);
}

TEST_F(CurveLaneTest, WhatIsTurnedWhilePlayingIsKeptInFewPointsAsOneEdit) {
  open();
  QTest::mouseClick(&lane().keep_button(), Qt::LeftButton);
  Listening& listening = d.work().listening;
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] { return listening.plan() != nullptr; }));
  const auto edits = d.work().document.history().labels().size();
  listening.seek(ClipTime{0});
  listening.player().play();
  ASSERT_TRUE(d.wait_for([&] { return listening.clip_position().s > 0.6; }));
  // Down, slowly, by the bar.
  const auto at = [&](double f) {
    return QPointF(80 + f * (gain().width() - 164.0), gain().height() / 2.0);
  };
  const double zero = to_fraction(gain().parameter(), 0);
  QTest::mousePress(&gain(), Qt::LeftButton, {}, at(zero).toPoint());
  for (int i = 0; i <= 60; ++i) {
    const QPointF to = at(zero * (1 - i / 90.0));
    QMouseEvent move(QEvent::MouseMove, to, gain().mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                     {});
    QApplication::sendEvent(&gain(), &move);
    QTest::qWait(15);
  }
  const double let_go = listening.clip_position().s;
  const double last = gain().value();
  QTest::mouseRelease(&gain(), Qt::LeftButton, {}, at(zero / 3).toPoint());
  listening.player().pause();
  ASSERT_TRUE(curve());
  EXPECT_LT(curve()->points.size(), 30U);
  EXPECT_EQ(d.work().document.history().labels().size(), edits + 1);
  EXPECT_NEAR(value_at(*curve(), gain().parameter(), 0.3), 0, 0.1);
  EXPECT_NEAR(value_at(*curve(), gain().parameter(), let_go + 0.3), last, 0.5);
  EXPECT_LT(last, -5);
  EXPECT_EQ(d.steps()[0].settings[0], 0);
  d.work().document.undo();
  EXPECT_FALSE(curve());
}

TEST_F(CurveLaneTest, OnIsACurveAsWellAndTheReelsStepsCountTheReelsSeconds) {
  d.edit(edits::add_step, StepPlace{ChainOwner::reel, 0}, *find_step("gain"));
  const StepId id = step_at(d.work(), ChainOwner::reel, 0);
  d.work().selection.select_step(id);
  ASSERT_TRUE(d.settle());
  lane().show_parameter(on_parameter);
  d.click(&lane(), lane().place_of(1.0, 0));
  const ChainStep* step = d.work().selection.step(id);
  ASSERT_TRUE(curve_of(step->curves, on_parameter));
  const auto& point = curve_of(step->curves, on_parameter)->points[0];
  EXPECT_EQ(point.value, 0);
  EXPECT_EQ(point.shape, CurveShape::hold);
  EXPECT_NEAR(point.s, 1.0 + d.work().selection.clip()->place.s, 0.01);
}

}  // namespace
}  // namespace drevan::desktop
