// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the Bench by mouse and keys.
#include <gtest/gtest.h>

#include <QSettings>

#include <QLineEdit>

#include <QPushButton>

#include "dialogs/blind_dialog.h"
#include "pictures/pictures.h"
#include "desktop/driver.h"
#include "steps/catalogue.h"
#include "work/document.h"
#include "work/listening.h"
#include "work/measurements.h"
#include "work/notices.h"
#include "work/selection.h"
#include "work/shelf_measurements.h"

namespace drevan::desktop {
namespace {

class BenchTest : public testing::Test {
 protected:
  void SetUp() override { ASSERT_TRUE(d.open_demo()); }
  Driver d;
};

TEST_F(BenchTest, FindRoomToneMarksAPause) {
  d.click_clip("stairs-03");
  ASSERT_TRUE(d.settle());
  QTest::keyClick(&d.window, Qt::Key_R, Qt::ShiftModifier);
  ASSERT_TRUE(d.wait_for([&] { return d.work().selection.clip()->room_tone.has_value(); }));
  EXPECT_GE(
      d.work().selection.clip()->room_tone->end.s - d.work().selection.clip()->room_tone->begin.s,
      0.5);
  d.work().document.undo();
  EXPECT_FALSE(d.work().selection.clip()->room_tone);
}

TEST_F(BenchTest, TooShortARoomToneIsRefusedWithASentence) {
  d.click_clip("stairs-02");
  ASSERT_TRUE(d.settle());
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  d.edit(edits::set_room_tone, ClipRange{1.0, 1.3});
  EXPECT_FALSE(d.work().selection.clip()->room_tone);
  EXPECT_TRUE(told.contains("too short")) << told.toStdString();
}

TEST_F(BenchTest, ColumnsAreDraggedSwitchedAndRemoved) {
  LevelPathView& path = d.bench().level_path();
  ASSERT_EQ(d.steps().size(), 5U);
  const QPointF low(0, 50);
  d.drag(&path, path.step_rect({ChainOwner::clip, 3}).center() + low,
         path.step_rect({ChainOwner::clip, 2}).topLeft() + QPointF(4, 120));
  EXPECT_EQ(d.steps()[2].type->id, "compressor");
  EXPECT_EQ(d.steps()[3].type->id, "cut");
  d.click(&path, path.switch_rect({ChainOwner::clip, 2}).center());
  EXPECT_FALSE(d.steps()[2].on);
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(d.work().measurements.levels()->stages.size(), 5U);
  path.setFocus();
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 4));
  QTest::keyClick(&path, Qt::Key_Delete);
  EXPECT_EQ(d.steps().size(), 4U);
  for (int i = 0; i < 3; ++i) QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.steps().size(), 5U);
  EXPECT_EQ(d.steps()[3].type->id, "compressor");
  EXPECT_TRUE(d.steps()[3].on);
}

TEST_F(BenchTest, TheLevelPathIsWorkedByKeys) {
  LevelPathView& path = d.bench().level_path();
  path.setFocus();
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 0));
  QTest::keyClick(&path, Qt::Key_Right);
  EXPECT_EQ(d.selected_index(), 1);
  QTest::keyClick(&path, Qt::Key_O);
  EXPECT_FALSE(d.steps()[1].on);
  QTest::keyClick(&path, Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(d.steps()[2].type->id, "noise-reduction");
  EXPECT_EQ(d.selected_index(), 2);
  QTest::keyClick(&path, Qt::Key_Left, Qt::ControlModifier);
  EXPECT_EQ(d.steps()[1].type->id, "noise-reduction");
}

TEST_F(BenchTest, TheStepChooserIsSearchedHeardAndRemembers) {
  LevelPathView& path = d.bench().level_path();
  path.setFocus();
  QSettings().remove("steps/recent");
  const size_t before = d.steps().size();
  const auto open = [&] {
    QTest::keyClick(&path, Qt::Key_Insert);
    return path.findChild<StepChooser*>();
  };
  StepChooser* chooser = open();
  ASSERT_NE(chooser, nullptr);
  // What it does finds it, too; resting on it is heard and drawn, leaving it is not an edit.
  QTest::keyClicks(&chooser->search(), "backwards");
  ASSERT_EQ(chooser->list().currentItem(), chooser->entry("reverse"));
  ASSERT_TRUE(d.wait_for([&] { return d.work().document.previewing(); }, 3000));
  EXPECT_EQ(d.steps().size(), before + 1);
  QTest::keyClick(&chooser->search(), Qt::Key_Escape);
  ASSERT_TRUE(d.wait_for([&] { return !d.work().document.previewing(); }, 3000));
  EXPECT_EQ(d.steps().size(), before);
  QTest::qWait(20);
  chooser = open();
  ASSERT_NE(chooser, nullptr);
  QTest::keyClicks(&chooser->search(), "nothing of the kind");
  EXPECT_EQ(chooser->entry("gate"), nullptr);
  chooser->search().clear();
  QTest::keyClicks(&chooser->search(), "GATE");
  QTest::keyClick(&chooser->search(), Qt::Key_Return);
  EXPECT_EQ(d.steps().size(), before + 1);
  EXPECT_EQ(d.work().selection.step()->type->id, "gate");
  QTest::qWait(20);
  // The one used last is on top.
  chooser = open();
  ASSERT_NE(chooser, nullptr);
  EXPECT_EQ(chooser->list().item(1)->text(), "Gate");
  chooser->close();
  ASSERT_TRUE(d.settle());
}

// Every place of every picture that can be held: a drag sets what it says, Shift moves less, a
// double click puts it back.
TEST_F(BenchTest, EveryGripOfEveryPictureIsHeldAlike) {
  for (const StepType* type : catalogue()) {
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *type);
    ASSERT_TRUE(d.settle());
    StepPicture* picture = d.bench().editor().picture();
    const Settings standard = d.steps()[0].settings;
    const QPointF middle = QRectF(picture->rect()).center();
    for (size_t i = 0; i < picture->grips().size(); ++i) {
      const Grip grip = picture->grips()[i];
      if (!grip.drag || (grip.reach < 0 && grip.within.isEmpty())) continue;
      const QPointF way(std::copysign(15, middle.x() - grip.at.x()),
                        std::copysign(34, middle.y() - grip.at.y()));
      const auto dragged = [&](Qt::KeyboardModifiers keys) {
        d.drag(picture, grip.at, grip.at + way, keys);
        return d.steps()[0].settings;
      };
      const Settings coarse = dragged({});
      EXPECT_NE(coarse, standard) << type->id << " grip " << i;
      d.work().document.undo();
      ASSERT_EQ(d.steps()[0].settings, standard) << type->id << " grip " << i;
      const Settings fine = dragged(Qt::ShiftModifier);
      for (const int p : grip.resets) {
        const auto at = static_cast<size_t>(p);
        EXPECT_LE(std::abs(fine[at] - standard[at]), std::abs(coarse[at] - standard[at]) + 1e-9)
            << type->id << " " << type->parameters[at].id;
      }
      const QPointF now = picture->grips()[i].at;
      QTest::mouseDClick(picture, Qt::LeftButton, {}, now.toPoint());
      EXPECT_EQ(d.steps()[0].settings, standard) << type->id << " grip " << i;
      d.edit(edits::set_settings, d.step_at(0), standard, "Standard settings");
    }
    d.edit(edits::remove_step, d.step_at(0));
  }
}

TEST_F(BenchTest, EveryStepHasAPictureThatCanBeHeldAndSlidersThatFollow) {
  for (const StepType* type : catalogue()) {
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *type);
    ASSERT_TRUE(d.settle());
    StepPicture* picture = d.bench().editor().picture();
    ASSERT_NE(picture, nullptr) << type->id;
    const Settings before = d.steps()[0].settings;
    const auto grips = picture->grips();
    if (type->parameters.empty()) {
      EXPECT_TRUE(grips.empty()) << type->id;
      d.work().document.undo();
      continue;  // there is nothing to be held
    }
    ASSERT_FALSE(grips.empty()) << type->id;
    const QPointF from = grips.front().at;
    QTest::mousePress(picture, Qt::LeftButton, {}, from.toPoint());
    QTest::mouseRelease(picture, Qt::LeftButton, {}, from.toPoint());
    EXPECT_EQ(d.steps()[0].settings, before) << type->id << " moved by a touch";
    // Away from the edges, so that there is room to move.
    const QPointF middle = QRectF(picture->rect()).center();
    d.drag(picture, from,
           from + (QPointF(std::copysign(25, middle.x() - from.x()),
                           std::copysign(25, middle.y() - from.y()))));
    EXPECT_NE(d.steps()[0].settings, before) << type->id;
    for (const auto& p : type->parameters)
      if (const auto* slider = d.bench().editor().slider(p.id)) {
        EXPECT_EQ(slider->value(),
                  d.steps()[0].settings[static_cast<size_t>(parameter_index(*type, p.id))])
            << p.id;
      }
    // One drag is one undo step, and undo shows in picture and sliders alike.
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(d.steps()[0].settings, before) << type->id;
    for (const auto& p : type->parameters)
      if (const auto* slider = d.bench().editor().slider(p.id)) {
        EXPECT_EQ(slider->value(), before[static_cast<size_t>(parameter_index(*type, p.id))])
            << p.id;
      }
    // So does every starting point: settings, sliders and picture go together.
    d.bench().editor().use_starting_point(-1);
    QApplication::processEvents();
    const QImage standard = picture->grab().toImage();
    for (int i = 0; i < static_cast<int>(type->starting_points.size()); ++i) {
      const auto& point = type->starting_points[static_cast<size_t>(i)];
      d.bench().editor().use_starting_point(i);
      EXPECT_EQ(d.steps()[0].settings, settings_of(*type, point)) << type->id;
      for (const auto& p : type->parameters)
        if (const auto* slider = d.bench().editor().slider(p.id)) {
          EXPECT_EQ(slider->value(),
                    d.steps()[0].settings[static_cast<size_t>(parameter_index(*type, p.id))])
              << p.id;
        }
      QApplication::processEvents();
      if (d.steps()[0].settings != standard_settings(*type)) {
        EXPECT_NE(picture->grab().toImage(), standard) << type->id << ": " << point.name;
      }
    }
    d.edit(edits::remove_step, d.step_at(0));
  }
}

TEST_F(BenchTest, AdviceIsTakenByAButtonUndoneAndDismissed) {
  AdviceLine& advice = d.bench().advice();
  EXPECT_EQ(advice.rule(), "");
  d.edit(edits::move_step, d.step_at(1),
         StepPlace{ChainOwner::clip, 4});  // noise reduction behind the compressor
  ASSERT_EQ(advice.rule(), "noise-reduction-behind");
  d.click(&advice.action(), QPointF(8, 8));
  EXPECT_EQ(d.steps()[2].type->id, "noise-reduction");
  EXPECT_EQ(advice.rule(), "");
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.steps()[3].type->id, "noise-reduction");
  ASSERT_EQ(advice.rule(), "noise-reduction-behind");
  d.click(&advice.dismiss_button(), QPointF(8, 8));
  EXPECT_EQ(advice.rule(), "");
  EXPECT_EQ(d.steps()[3].type->id, "noise-reduction");
}

TEST_F(BenchTest, ValuesAreTypedWithUnitsAndRefusedOutOfRange) {
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 3));
  ASSERT_TRUE(d.settle());
  const auto type = [&](const char* id, const QString& text) {
    // An entry that was used before is gone only now.
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    ValueSlider* s = d.bench().editor().slider(id);
    s->begin_typing();
    auto* entry = s->findChild<QLineEdit*>("entry");
    entry->selectAll();
    QTest::keyClicks(entry, text);
    QTest::keyClick(entry, Qt::Key_Return);
  };
  type("threshold_db", "-22.5 dB");
  EXPECT_EQ(d.setting(3, "threshold_db"), -22.5);
  QString told;
  QObject::connect(&d.work().notices, &Notices::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  type("threshold_db", "12");
  EXPECT_EQ(d.setting(3, "threshold_db"), -22.5);
  EXPECT_TRUE(told.contains("between -60 dB and 0 dB")) << told.toStdString();
  type("ratio", "4,5");
  EXPECT_EQ(d.setting(3, "ratio"), 4.5);
  ValueSlider* s = d.bench().editor().slider("release_ms");
  s->setFocus();
  QTest::keyClick(s, Qt::Key_Up);
  EXPECT_GT(d.setting(3, "release_ms"), 120);
}

TEST_F(BenchTest, TheScopeZoomsAtThePointerAndSelects) {
  Scope& scope = d.bench().scope();
  const double at = scope.seconds_at(600);
  QWheelEvent wheel({600, 50}, scope.mapToGlobal(QPointF(600, 50)), {}, {0, 480}, Qt::NoButton, {},
                    Qt::NoScrollPhase, false);
  QApplication::sendEvent(&scope, &wheel);
  EXPECT_LT(scope.view_length(), d.work().selection.clip_seconds() / 2);
  EXPECT_NEAR(scope.seconds_at(600), at, 0.01);
  d.drag(&scope, {300, 60}, {500, 60});
  ASSERT_TRUE(scope.selection());
  EXPECT_NEAR(scope.selection()->begin.s, scope.seconds_at(300), 0.01);
  QTest::keyClick(&scope, Qt::Key_Escape);
  EXPECT_FALSE(scope.selection());
  QTest::keyClick(&scope, Qt::Key_0);
  EXPECT_NEAR(scope.view_length(), d.work().selection.clip_seconds(), 1e-6);
}

TEST_F(BenchTest, LoopPlaysTheSelection) {
  Scope& scope = d.bench().scope();
  scope.select(ClipRange{2.0, 2.5});
  QTest::keyClick(&d.window, Qt::Key_L);
  QTest::keyClick(&d.window, Qt::Key_Space);
  QTest::qWait(1300);
  EXPECT_TRUE(d.work().listening.player().playing());
  const double at = static_cast<double>(d.work().listening.player().position()) / 48000;
  EXPECT_GE(at, 2.0);
  EXPECT_LE(at, 2.51);
  QTest::keyClick(&d.window, Qt::Key_Space);
}

TEST_F(BenchTest, TheChainIsCopiedToOtherClips) {
  const ClipId from = d.clip_named("lamp-room-04"), to = d.clip_named("stairs-03");
  d.work().selection.select_clip(from);
  d.edit(edits::copy_chain, std::vector{to});
  EXPECT_EQ(d.work().document.reel().find(to)->chain, d.work().document.reel().find(from)->chain);
  d.work().document.undo();
  EXPECT_TRUE(d.work().document.reel().find(to)->chain.steps.empty());
}

// Half a second is shown by benchmarks/level_path; here, on a machine with other work, only that a
// late change does not cost what the first look at the clip costs.
TEST_F(BenchTest, ALateChangeIsMeasuredSoonerThanTheWholeClip) {
  d.click_clip("log-entry-night");  // a minute
  ASSERT_GT(d.work().selection.clip_seconds(), 60);
  d.edit(edits::set_room_tone, ClipRange{0.2, 1.4});
  ASSERT_TRUE(d.settle());
  const auto measured_in = [&](const std::function<void()>& change) {
    QElapsedTimer clock;
    clock.start();
    change();
    EXPECT_TRUE(d.wait_for([&] { return d.work().measurements.levels_fresh(); }));
    return clock.elapsed();
  };
  const auto whole =
      measured_in([&] { use_recipe_file(d.work(), DREVAN_SOURCE_DIR "/demo/five.recipe"); });
  auto late = whole * 10;
  for (const double threshold : {-24, -25, -26, -27}) {
    Settings s = d.steps()[3].settings;
    s.values[1] = threshold;
    late = std::min(
        late, measured_in([&] { d.edit(edits::set_settings, d.step_at(3), s, "threshold"); }));
  }
  EXPECT_LT(late, whole);
  std::printf("level path of one minute: %lld ms at first, %lld ms after a late change\n",
              static_cast<long long>(whole), static_cast<long long>(late));
}

TEST_F(BenchTest, TheSpectrogramShowsBeforeAfterAndRemoved) {
  QTest::keyClick(&d.window, Qt::Key_S);
  Scope& scope = d.bench().scope();
  ScopeSpectrogram& spectrogram = scope.spectrogram();
  ASSERT_TRUE(spectrogram.on());
  ASSERT_TRUE(
      d.wait_for([&] { return !spectrogram.busy() && !spectrogram.picture().after.empty(); }));
  const Spectrogram& s = spectrogram.picture();
  EXPECT_EQ(s.columns, scope.width());
  // What the chain takes is quieter than what it leaves where somebody speaks.
  const auto mean = [&](const std::vector<std::uint8_t>& cells) {
    double sum = 0;
    for (const auto c : cells) sum += c;
    return sum / static_cast<double>(cells.size());
  };
  EXPECT_GT(mean(s.after), mean(s.removed) + 5);
  EXPECT_NE(s.before, s.after);
  const QImage both = scope.grab().toImage();
  d.click(&d.bench().spectrogram_shows(), d.bench().spectrogram_shows().part_rect(2).center());
  QTest::qWait(50);
  EXPECT_NE(scope.grab().toImage(), both);
  // The legend's lower half is pulled up: quieter sounds come out, and the picture with them.
  const double range = spectrogram.range_db();
  const QRectF legend =
      ScopeSpectrogram::legend_rect(QRectF(0, 0, scope.width(), scope.height() - 20));
  d.drag(&scope, QPointF(legend.center().x(), legend.bottom() - 4),
         QPointF(legend.center().x(), legend.bottom() - 40));
  EXPECT_NE(spectrogram.range_db(), range);
  EXPECT_FALSE(scope.selection());
  // Zooming asks for the part that is shown, finer.
  scope.zoom(4, 5);
  ASSERT_TRUE(d.wait_for([&] {
    return !spectrogram.busy() &&
           std::abs(spectrogram.picture().length_s - scope.view_length()) < 1e-9;
  }));
  QTest::keyClick(&d.window, Qt::Key_S);
  EXPECT_FALSE(spectrogram.on());
}

TEST_F(BenchTest, ADynamicsStepDrawsItsReductionUnderTheWaveform) {
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 3));
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for([&] {
    return d.work().measurements.course() &&
           !d.work().measurements.course()->reduction_db.empty() &&
           !d.bench().scope().reduction_rect().isEmpty();
  }));
  // It comes in parts; the first words may be soft.
  EXPECT_TRUE(d.wait_for(
      [&] {
        return *std::ranges::max_element(d.work().measurements.course()->reduction_db) > 3.0F;
      },
      5000));
  const auto& course = d.work().measurements.course()->reduction_db;
  EXPECT_LT(course[20], 0.1F);  // the room before the first word
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 2));  // a cut takes no gain
  ASSERT_TRUE(d.settle());
  QTest::qWait(100);
  EXPECT_TRUE(d.bench().scope().reduction_rect().isEmpty());
}

// Removed, around the noise reduction: noise far below the voice, where the whole chain's holds what the
// compressor takes as well.
TEST_F(BenchTest, RemovedCanBeHeardOfOneStep) {
  d.work().selection.select_step(step_at(d.work(), ChainOwner::clip, 1));
  ASSERT_TRUE(d.settle());
  d.work().listening.player().set_matched(true);
  QTest::keyClick(&d.window, Qt::Key_4);
  ASSERT_TRUE(d.work().listening.solo_step());
  ASSERT_TRUE(d.wait_for(
      [&] { return d.work().listening.plan() && d.work().listening.plan()->solo_step == 1; }));
  QTest::keyClick(&d.window, Qt::Key_3);
  QTest::keyClick(&d.window, Qt::Key_Space);
  QTest::qWait(1800);
  const auto removed = d.heard(600);
  QTest::keyClick(&d.window, Qt::Key_2);
  QTest::qWait(900);
  const auto after = d.heard(600);
  QTest::keyClick(&d.window, Qt::Key_Space);
  EXPECT_GT(test::rms_db(after), -45);
  EXPECT_LT(test::rms_db(removed), test::rms_db(after) - 15);
  QTest::keyClick(&d.window, Qt::Key_4);
  EXPECT_TRUE(d.wait_for([&] { return d.work().listening.plan()->solo_step == -1; }));
}

TEST_F(BenchTest, ABlindComparisonTellsTheScore) {
  d.bench().compare_blind();
  auto* dialog = d.bench().findChild<BlindDialog*>();
  ASSERT_NE(dialog, nullptr);
  EXPECT_TRUE(d.wait_for([&] { return d.work().listening.player().playing(); }, 3000));
  const auto press = [&](const char* name) {
    QTest::mouseClick(dialog->findChild<QPushButton*>(name), Qt::LeftButton);
  };
  for (int i = 0; i < BlindTest::trials; ++i) {
    EXPECT_EQ(dialog->test().trial(), i);
    EXPECT_TRUE(dialog->result().isEmpty());
    // What X plays is what the test hides.
    EXPECT_EQ(d.work().listening.player().listen(),
              dialog->test().hidden_is_after() ? Listen::after : Listen::before);
    press(dialog->test().hidden_is_after() ? "is_after" : "is_before");
  }
  EXPECT_TRUE(dialog->test().finished());
  EXPECT_EQ(dialog->test().right(), 10);
  EXPECT_TRUE(dialog->result().contains("you do hear a difference"))
      << dialog->result().toStdString();
  d.bench().foot().listen(Listen::after);
  dialog->reject();
  EXPECT_TRUE(d.wait_for([&] { return !d.work().listening.player().playing(); }, 2000));
  EXPECT_EQ(d.work().listening.player().listen(), Listen::after);
}

TEST_F(BenchTest, ATargetIsChosenJudgedAndMet) {
  d.work().document.set_target("broadcast-r128");
  ASSERT_TRUE(d.work().document.target());
  EXPECT_TRUE(d.bench().meet_button().isVisible());
  ASSERT_TRUE(d.settle());
  ASSERT_TRUE(d.wait_for(
      [&] { return d.work().shelf.clip_levels(d.work().selection.clip_id()) != nullptr; }));
  EXPECT_EQ(verdict(misses(*d.work().document.target(),
                           *d.work().shelf.clip_levels(d.work().selection.clip_id()))),
            Verdict::hot);
  QString told;
  QObject::connect(&d.work().notices, &Notices::message,
                   [&](const QString& text, bool) { told = text; });
  QTest::keyClick(&d.window, Qt::Key_T, Qt::ControlModifier);
  ASSERT_TRUE(d.wait_for([&] { return told.contains("Normalise set to -23.0 LUFS"); }))
      << told.toStdString();
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(verdict(misses(*d.work().document.target(),
                           *d.work().shelf.clip_levels(d.work().selection.clip_id()))),
            Verdict::right);
  QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(d.setting(4, "target_db"), -3);
  d.work().document.set_target("no-such-target");
  EXPECT_TRUE(told.contains("no-such-target")) << told.toStdString();
  EXPECT_EQ(d.work().document.reel().target, "broadcast-r128");
}

TEST_F(BenchTest, SpeechInTheRoomToneIsToldAndABetterOneOffered) {
  AdviceLine& advice = d.bench().advice();
  d.edit(edits::set_room_tone, ClipRange{4.3, 5.3});  // in the middle of a sentence
  ASSERT_TRUE(d.wait_for([&] {
    return d.work().measurements.tone() &&
           d.work().measurements.tone()->flaw == RoomToneFlaw::speech;
  }));
  ASSERT_EQ(advice.rule(), "room-tone");
  d.click(&advice.action(), QPointF(8, 8));
  ASSERT_TRUE(d.wait_for([&] {
    return d.work().measurements.tone() && d.work().measurements.tone()->flaw == RoomToneFlaw::none;
  }));
  EXPECT_NE(advice.rule(), "room-tone");
}

TEST_F(BenchTest, LoudnessOfWhatIsHeardIsReadLikeTheLevelPaths) {
  ASSERT_TRUE(d.settle());
  d.work().listening.player().seek(0);
  QTest::keyClick(&d.window, Qt::Key_Space);
  QTest::qWait(5200);
  const auto shown = d.bench().foot().loudness().shown();
  QTest::keyClick(&d.window, Qt::Key_Space);
  ASSERT_TRUE(shown.integrated_lufs);
  EXPECT_NEAR(*shown.integrated_lufs, *d.work().measurements.levels()->stages.back().loudness_lufs,
              4);
  EXPECT_TRUE(shown.short_term_lufs);
  EXPECT_LT(*shown.true_peak_dbtp, 0);
  QTest::mouseClick(&d.bench().foot().loudness(), Qt::LeftButton);
  EXPECT_FALSE(d.bench().foot().loudness().shown().integrated_lufs);
}

}  // namespace
}  // namespace drevan::desktop
