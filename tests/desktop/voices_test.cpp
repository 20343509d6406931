// SPDX-License-Identifier: GPL-3.0-or-later
// Voices and spaces by mouse: each new picture is held, notes are dragged, chords and carriers chosen.
#include <gtest/gtest.h>

#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "desktop/step_fixture.h"
#include "pages/bench/step_words.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"
#include "widgets/typed_value.h"

namespace drevan::desktop {
namespace {

class VoicesTest : public StepFixture {
 protected:
  VoicesTest() {
    QObject::connect(&d.work().notices, &Notices::message,
                     [this](const QString& text, bool) { told << text; });
  }
  // Dragged by mouse: it changes, the slider shows it, and one undo takes all of it back.
  void expect_held(std::string_view id, QPointF by) {
    const double before = value(id);
    const Grip g = grip(id);
    d.drag(&picture(), g.at, g.at + by);
    EXPECT_NE(value(id), before) << id;
    ASSERT_TRUE(d.settle());
    d.work().document.undo();
    EXPECT_EQ(value(id), before) << id;
    d.settle();
  }

  QStringList told;
};

TEST_F(VoicesTest, AReverbsDecaysAndAmountsAreHeld) {
  add("reverb");
  for (const char* decay : {"decay_low_s", "decay_s", "decay_high_s"}) expect_held(decay, {30, 0});
  expect_held("pre_delay_ms", {25, 0});
  for (const char* amount : {"early_db", "late_db"}) expect_held(amount, {0, 18});
}

TEST_F(VoicesTest, CopiesOfAVoiceAreHeld) {
  add("doubler");
  const Grip first = grip("pan_1_pct");
  d.drag(&picture(), first.at, first.at + QPointF(30, -20));
  EXPECT_GT(value("pan_1_pct"), -60);
  EXPECT_GT(value("shift_1_st"), 0);
  EXPECT_EQ(picture().page(), 1);
  ASSERT_NE(editor().slider("delay_1_ms"), nullptr);
  EXPECT_EQ(editor().slider("delay_2_ms"), nullptr);
  // The second's own settings come with it.
  d.click(&picture(), grip("pan_2_pct").at);
  EXPECT_NE(editor().slider("delay_2_ms"), nullptr);
}

TEST_F(VoicesTest, BandsOfAVocoderAreHeldAndItsWordsTyped) {
  add("vocoder");
  expect_held("low_hz", {20, 0});
  expect_held("high_hz", {-20, 0});
  expect_held("bands", {40, 0});
  expect_held("shift_st", {30, 0});
  expect_held("carrier_hz", {30, 0});
  auto* chord = editor().findChild<QLineEdit*>("chord");
  ASSERT_NE(chord, nullptr);
  EXPECT_EQ(chord->text(), "A2 C#3 E3 A3");
  chord->setFocus();
  chord->selectAll();
  QTest::keyClicks(chord, "D2 F2 A2");
  QTest::keyClick(chord, Qt::Key_Return);
  EXPECT_EQ(d.work().selection.step()->settings.texts[0], "D2 F2 A2");
  chord->selectAll();
  QTest::keyClicks(chord, "D2 H2");
  QTest::keyClick(chord, Qt::Key_Return);
  EXPECT_EQ(d.work().selection.step()->settings.texts[0], "D2 F2 A2");
  EXPECT_TRUE(told.join(' ').contains("has no note \"H2\"")) << told.join(' ').toStdString();
  d.work().document.undo();
  EXPECT_EQ(d.work().selection.step()->settings.texts[0], "A2 C#3 E3 A3");
}

TEST_F(VoicesTest, AnotherClipSpeaksAndRingsAreRefused) {
  add("vocoder");
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("vocoder"), "carrier"), 5.0);
  auto* carrier = editor().findChild<QToolButton*>("carrier", Qt::FindChildrenRecursively);
  for (auto* button : editor().findChildren<QToolButton*>("carrier"))
    if (qobject_cast<StepWords*>(button->parentWidget())) carrier = button;
  ASSERT_NE(carrier, nullptr);
  EXPECT_EQ(carrier->text(), "choose a sound");
  const auto choose = [&](const QString& name) {
    Q_EMIT carrier->menu()->aboutToShow();
    for (QAction* a : carrier->menu()->actions())
      if (a->text() == name) return a->trigger(), true;
    return false;
  };
  ASSERT_TRUE(choose("boat-pass"));
  EXPECT_EQ(carrier->text(), "boat-pass");
  ASSERT_TRUE(d.settle());
  const ChainStep& s = *d.work().selection.step();
  ASSERT_EQ(s.sides.size(), 1U);
  EXPECT_EQ(s.sides[0].clip, d.clip_named("boat-pass"));
  EXPECT_FALSE(choose("lamp-room-04")) << "itself";
  // The other one may not hear this one in turn.
  d.work().selection.select_clip(d.clip_named("boat-pass"));
  ASSERT_TRUE(d.settle());
  add("vocoder");
  for (auto* button : editor().findChildren<QToolButton*>("carrier"))
    if (qobject_cast<StepWords*>(button->parentWidget())) carrier = button;
  ASSERT_TRUE(choose("lamp-room-04"));
  EXPECT_TRUE(d.work().selection.step()->sides.empty() ||
              d.work().selection.step()->sides[0].from == SideChoice::From::nothing);
  EXPECT_FALSE(told.isEmpty());
}

TEST_F(VoicesTest, NotesAreDraggedToAnotherPitch) {
  add("pitch");
  ASSERT_TRUE(d.wait_for([&] { return d.work().measurements.course_whole(); }));
  // The line of all, the notes, the formants.
  ASSERT_GT(picture().grips().size(), 6U) << "no notes were found";
  expect_held("formant_st", {20, 0});
  const Grip all = grip("shift_st");
  d.drag(&picture(), QPointF(picture().width() - 12, all.at.y()),
         QPointF(picture().width() - 12, all.at.y() - 14));
  EXPECT_GT(value("shift_st"), 0.5);
  d.work().document.undo();
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] { return d.work().measurements.course_whole(); }));
  // One note: a curve, higher there, as it was elsewhere.
  const auto grips = picture().grips();
  const auto note = std::ranges::find_if(
      grips, [](const Grip& g) { return g.form == Grip::Form::dot && g.resets.empty(); });
  ASSERT_NE(note, grips.end());
  d.drag(&picture(), note->at, note->at + QPointF(0, -16));
  const ChainStep& s = *d.work().selection.step();
  const int shift = parameter_index(*s.type, "shift_st");
  const Curve* curve = curve_of(s.curves, shift);
  ASSERT_NE(curve, nullptr);
  EXPECT_EQ(curve->points.size(), 4U);
  EXPECT_GT(value_range(*curve).most, 0.5);
  EXPECT_EQ(curve->points.front().value, 0);
  EXPECT_EQ(curve->points.back().value, 0);
  d.work().document.undo();
  EXPECT_EQ(curve_of(d.work().selection.step()->curves, shift), nullptr);
}

TEST_F(VoicesTest, TheGainIsHeldBelowALevel) {
  add("compressor");
  const Grip hold = grip("hold_below_db");
  d.drag(&picture(), hold.at, hold.at + QPointF(60, 0));
  EXPECT_GT(value("hold_below_db"), -60);
  EXPECT_LT(value("hold_below_db"), -20);
}

// An equal-tempered third is four semitones; -12 % is 2.21 semitones down.
TEST(TypedIntervals, AreTakenWhereSemitonesAreAskedFor) {
  const StepType& pitch = *find_step("pitch");
  const auto typed = [&](const char* id, const char* words) {
    QString why;
    return typed_value(pitch.parameters[static_cast<size_t>(parameter_index(pitch, id))], words,
                       &why);
  };
  EXPECT_NEAR(typed("shift_st", "third").value_or(99), 4, 1e-9);
  EXPECT_NEAR(typed("shift_st", "-fifth").value_or(99), -7, 1e-9);
  EXPECT_NEAR(typed("shift_st", "octave down").value_or(99), -12, 1e-9);
  EXPECT_NEAR(typed("shift_st", "-12 %").value_or(99), -2.2131, 1e-3);
  EXPECT_NEAR(typed("shift_st", "+30 cent").value_or(99), 0.3, 1e-9);
  EXPECT_NEAR(typed("shift_st", "5").value_or(99), 5, 1e-9);
  EXPECT_FALSE(typed("shift_st", "some"));
  EXPECT_FALSE(typed("shift_st", "-100 %"));
  EXPECT_FALSE(typed("mix_pct", "third"));
}

}  // namespace
}  // namespace drevan::desktop
