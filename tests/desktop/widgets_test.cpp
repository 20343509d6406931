// SPDX-License-Identifier: GPL-3.0-or-later
// The small controls by themselves, by mouse, wheel and keys.
#include <gtest/gtest.h>

#include <QApplication>
#include <QLineEdit>
#include <QSignalSpy>
#include <QTest>
#include <QWheelEvent>

#include "steps/catalogue.h"
#include "widgets/loudness_readout.h"
#include "widgets/meter.h"
#include "widgets/value_slider.h"

namespace drevan::desktop {
namespace {

const Parameter& parameter(const char* step, const char* id) {
  const StepType& type = *find_step(step);
  return type.parameters[static_cast<size_t>(parameter_index(type, id))];
}

class SliderTest : public testing::Test {
 protected:
  SliderTest() {
    slider.resize(290, 34);
    slider.show();
  }
  QPoint at(double fraction) const {
    // The bar lies between the label and the value.
    return {static_cast<int>(80 + (290 - 80 - 72 - 12) * fraction), 17};
  }
  void turn(int notches, Qt::KeyboardModifiers keys = {}) {
    QWheelEvent e({100, 17}, slider.mapToGlobal(QPointF(100, 17)), {}, {0, 120 * notches},
                  Qt::NoButton, keys, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&slider, &e);
  }
  void type(const QString& what) {
    slider.begin_typing();
    auto* entry = slider.findChild<QLineEdit*>("entry");
    ASSERT_NE(entry, nullptr);
    entry->setText(what);
    QTest::keyClick(entry, Qt::Key_Return);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  }

  const Parameter& p = parameter("compressor", "threshold_db");
  ValueSlider slider{p};
  QSignalSpy changed{&slider, &ValueSlider::changed}, settled{&slider, &ValueSlider::settled},
      refused{&slider, &ValueSlider::refused};
};

TEST_F(SliderTest, ADragIsManyChangesAndSettlesOnce) {
  QTest::mousePress(&slider, Qt::LeftButton, {}, at(0.2));
  const double first = slider.value();
  EXPECT_NEAR(first, from_fraction(p, 0.2), 0.6);
  for (const double f : {0.4, 0.6, 0.8}) {
    QMouseEvent move(QEvent::MouseMove, at(f), slider.mapToGlobal(QPointF(at(f))), Qt::NoButton,
                     Qt::LeftButton, {});
    QApplication::sendEvent(&slider, &move);
  }
  EXPECT_EQ(settled.count(), 0);
  QTest::mouseRelease(&slider, Qt::LeftButton, {}, at(0.8));
  EXPECT_EQ(settled.count(), 1);
  EXPECT_EQ(changed.count(), 4);
  EXPECT_NEAR(slider.value(), from_fraction(p, 0.8), 0.6);
  // Beyond either end it stays at the end.
  QTest::mouseClick(&slider, Qt::LeftButton, {}, at(-0.1));
  EXPECT_GE(slider.value(), p.least);
}

TEST_F(SliderTest, KeysAndWheelGoByStepsPeopleCountIn) {
  slider.show_value(-20);
  EXPECT_EQ(changed.count(), 0);  // shown, not told
  QTest::keyClick(&slider, Qt::Key_Right);
  EXPECT_DOUBLE_EQ(slider.value(), -19.5);
  QTest::keyClick(&slider, Qt::Key_Left, Qt::ShiftModifier);
  EXPECT_DOUBLE_EQ(slider.value(), -19.6);
  QTest::keyClick(&slider, Qt::Key_PageUp);
  EXPECT_DOUBLE_EQ(slider.value(), -14.6);
  turn(2);
  EXPECT_DOUBLE_EQ(slider.value(), -13.6);
  turn(-1, Qt::ShiftModifier);
  EXPECT_DOUBLE_EQ(slider.value(), -13.7);
  QTest::keyClick(&slider, Qt::Key_Home);
  EXPECT_EQ(slider.value(), p.least);
  QTest::keyClick(&slider, Qt::Key_End);
  EXPECT_EQ(slider.value(), p.most);
  const auto told = changed.count();
  QTest::keyClick(&slider, Qt::Key_Right);
  EXPECT_EQ(changed.count(), told);  // there is nothing beyond
}

TEST_F(SliderTest, ADoubleClickBringsTheStandardBack) {
  slider.show_value(p.least);
  QTest::mouseDClick(&slider, Qt::LeftButton, {}, at(0.5));
  EXPECT_EQ(slider.value(), p.standard);
  EXPECT_GE(settled.count(), 1);
}

TEST_F(SliderTest, WhatIsTypedIsTakenWithCommaAndUnitOrRefusedWithAReason) {
  type("-12,5 dB");
  EXPECT_EQ(slider.findChild<QLineEdit*>("entry"), nullptr);  // Return closes it
  EXPECT_DOUBLE_EQ(slider.value(), -12.5);
  EXPECT_EQ(settled.count(), 1);
  for (const char* bad : {"loud", "", "-", "1e5", "900", "--3"}) {
    type(bad);
    EXPECT_DOUBLE_EQ(slider.value(), -12.5) << bad;
  }
  slider.begin_typing();
  slider.findChild<QLineEdit*>("entry")->setText("-30");
  QTest::keyClick(slider.findChild<QLineEdit*>("entry"), Qt::Key_Escape);
  EXPECT_DOUBLE_EQ(slider.value(), -12.5);
  ASSERT_EQ(refused.count(), 6);
  EXPECT_TRUE(refused[0][0].toString().contains("\"loud\" is not a number"));
  EXPECT_TRUE(refused[4][0].toString().contains("must lie between"));
}

TEST(Slider, HertzMayBeTypedInThousandsAndGoEvenlyByEar) {
  const Parameter& hz = parameter("cut", "low_hz");
  ASSERT_EQ(hz.scale, Scale::logarithmic);
  ValueSlider slider(hz);
  slider.resize(290, 34);
  slider.show();
  slider.begin_typing();
  slider.findChild<QLineEdit*>("entry")->setText("0.1k");
  QTest::keyClick(slider.findChild<QLineEdit*>("entry"), Qt::Key_Return);
  EXPECT_DOUBLE_EQ(slider.value(), 100);
  // Equal turns are equal intervals.
  QTest::keyClick(&slider, Qt::Key_Up);
  const double once = slider.value() / 100;
  QTest::keyClick(&slider, Qt::Key_Up);
  EXPECT_NEAR(slider.value() / 100, once * once, 1e-6);
  ASSERT_TRUE(hz.off_at);
  QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  slider.begin_typing();
  slider.findChild<QLineEdit*>("entry")->setText("off");
  QTest::keyClick(slider.findChild<QLineEdit*>("entry"), Qt::Key_Return);
  EXPECT_EQ(slider.value(), *hz.off_at);
}

TEST(Slider, EveryParameterShowsEveryValueItMayHave) {
  for (const auto* type : catalogue())
    for (const auto& p : type->parameters) {
      ValueSlider slider(p);
      slider.resize(290, 34);
      for (const double f : {0.0, 0.3, 1.0}) {
        slider.show_value(p.scale == Scale::choice
                              ? std::round(f * (static_cast<double>(p.choices.size()) - 1))
                              : from_fraction(p, f));
        EXPECT_FALSE(slider.grab().isNull());
      }
      EXPECT_FALSE(slider.accessibleName().isEmpty()) << p.id;
      EXPECT_FALSE(slider.toolTip().isEmpty()) << p.id;
    }
}

TEST(MeterWidget, HoldsThePeakAndTheLampUntilTheyAreCleared) {
  Meter meter;
  meter.resize(250, 30);
  QSignalSpy cleared(&meter, &Meter::cleared);
  meter.show_peaks({0.5F, 0.25F}, false);
  EXPECT_NEAR(meter.held_db(), -6.02, 0.01);
  EXPECT_FALSE(meter.lamp());
  meter.show_peaks({0.1F, 1.2F}, true);
  meter.show_peaks({0.0F, 0.0F}, true);
  EXPECT_NEAR(meter.held_db(), 1.58, 0.01);
  EXPECT_TRUE(meter.lamp());
  QTest::mouseClick(&meter, Qt::LeftButton);
  EXPECT_FALSE(meter.lamp());
  EXPECT_LT(meter.held_db(), -80);
  EXPECT_EQ(cleared.count(), 1);
}

TEST(LoudnessReadoutWidget, ShowsWhatThereIsAndDashesForTheRest) {
  LoudnessReadout readout;
  readout.resize(214, 40);
  const auto picture = [&] { return readout.grab().toImage(); };
  const QImage empty = picture();
  ProgrammeMeter::Readings r;
  r.momentary_lufs = -23.4;
  readout.show_readings(r);
  EXPECT_EQ(readout.shown().momentary_lufs, r.momentary_lufs);
  const QImage some = picture();
  EXPECT_NE(some, empty);
  r.integrated_lufs = -16;
  r.range_lu = 6;
  r.true_peak_dbtp = -1.2;
  readout.show_readings(r);
  EXPECT_NE(picture(), some);
}

}  // namespace
}  // namespace drevan::desktop
