// The parts of the Bench by mouse and keys.
#include <gtest/gtest.h>

#include <QLineEdit>
#include <QFontInfo>
#include <QMimeData>
#include <QTemporaryDir>
#include <fstream>

#include "bench/pictures.h"
#include "desktop/driver.h"
#include "steps/catalogue.h"

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
  ASSERT_TRUE(d.wait_for([&] { return d.work().clip()->room_tone.has_value(); }));
  EXPECT_GE(d.work().clip()->room_tone->end - d.work().clip()->room_tone->begin, 0.5);
  d.work().undo();
  EXPECT_FALSE(d.work().clip()->room_tone);
}

TEST_F(BenchTest, TooShortARoomToneIsRefusedWithASentence) {
  d.click_clip("stairs-02");
  ASSERT_TRUE(d.settle());
  QString told;
  QObject::connect(&d.work(), &Workspace::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  d.work().set_room_tone(SecondsRange{1.0, 1.3});
  EXPECT_FALSE(d.work().clip()->room_tone);
  EXPECT_TRUE(told.contains("too short")) << told.toStdString();
}

TEST_F(BenchTest, ColumnsAreDraggedSwitchedAndRemoved) {
  LevelPathView& path = d.bench().level_path();
  ASSERT_EQ(d.steps().size(), 5U);
  const QPointF low(0, 50);
  d.drag(&path, path.step_rect({ChainOwner::clip, 3}).center() + low, path.step_rect({ChainOwner::clip, 2}).topLeft() + QPointF(4, 120));
  EXPECT_EQ(d.steps()[2].type->id, "compressor");
  EXPECT_EQ(d.steps()[3].type->id, "cut");
  d.click(&path, path.switch_rect({ChainOwner::clip, 2}).center());
  EXPECT_FALSE(d.steps()[2].on);
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(d.work().levels()->stages.size(), 5U);
  path.setFocus();
  d.work().select_step(StepPlace{ChainOwner::clip, 4});
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
  d.work().select_step(StepPlace{ChainOwner::clip, 0});
  QTest::keyClick(&path, Qt::Key_Right);
  EXPECT_EQ(d.work().selected()->index, 1);
  QTest::keyClick(&path, Qt::Key_O);
  EXPECT_FALSE(d.steps()[1].on);
  QTest::keyClick(&path, Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(d.steps()[2].type->id, "noise-reduction");
  EXPECT_EQ(d.work().selected()->index, 2);
  QTest::keyClick(&path, Qt::Key_Left, Qt::ControlModifier);
  EXPECT_EQ(d.steps()[1].type->id, "noise-reduction");
}

TEST_F(BenchTest, EveryStepHasAPictureThatCanBeHeldAndSlidersThatFollow) {
  for (const StepType* type : catalogue()) {
    d.work().add_step(ChainOwner::clip, 0, *type);
    ASSERT_TRUE(d.settle());
    StepPicture* picture = d.bench().editor().picture();
    ASSERT_NE(picture, nullptr) << type->id;
    const Settings before = d.steps()[0].settings;
    QPointF from, to;
    if (auto* r = dynamic_cast<ResponsePicture*>(picture)) {
      from = r->handle_at(0);
      to = from + QPointF(40, 25);
    } else if (auto* t = dynamic_cast<TransferPicture*>(picture)) {
      from = t->threshold_at();
      to = from + QPointF(-30, 25);
    } else if (auto* n = dynamic_cast<ReductionPicture*>(picture)) {
      from = n->depth_at();
      to = from + QPointF(0, 20);
    } else if (auto* c = dynamic_cast<CoursePicture*>(picture)) {
      from = c->line_at();
      to = from + QPointF(0, 20);
    } else if (auto* l = dynamic_cast<LevelsPicture*>(picture)) {
      from = l->goal_at();
      to = from + QPointF(0, 30);
    }
    d.drag(picture, from, to);
    EXPECT_NE(d.steps()[0].settings, before) << type->id;
    for (const auto& p : type->parameters)
      if (const auto* slider = d.bench().editor().slider(p.id)) {
        EXPECT_EQ(slider->value(), d.steps()[0].settings[static_cast<size_t>(parameter_index(*type, p.id))]) << p.id;
      }
    // One drag is one undo step, and undo shows in picture and sliders alike.
    QTest::keyClick(&d.window, Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(d.steps()[0].settings, before) << type->id;
    for (const auto& p : type->parameters)
      if (const auto* slider = d.bench().editor().slider(p.id)) {
        EXPECT_EQ(slider->value(), before[static_cast<size_t>(parameter_index(*type, p.id))]) << p.id;
      }
    // So does a starting point.
    d.bench().editor().use_starting_point(1);
    EXPECT_EQ(d.steps()[0].settings, settings_of(*type, type->starting_points[1])) << type->id;
    QApplication::processEvents();
    EXPECT_FALSE(picture->grab().isNull());
    d.work().remove_step({ChainOwner::clip, 0});
  }
}

TEST_F(BenchTest, AdviceIsTakenByAButtonUndoneAndDismissed) {
  AdviceLine& advice = d.bench().advice();
  EXPECT_EQ(advice.rule(), "");
  d.work().move_step({ChainOwner::clip, 1}, {ChainOwner::clip, 4});  // noise reduction behind the compressor
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
  d.work().select_step(StepPlace{ChainOwner::clip, 3});
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
  QObject::connect(&d.work(), &Workspace::message, [&](const QString& text, bool failure) {
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
  QWheelEvent wheel({600, 50}, scope.mapToGlobal(QPointF(600, 50)), {}, {0, 480}, Qt::NoButton, {}, Qt::NoScrollPhase, false);
  QApplication::sendEvent(&scope, &wheel);
  EXPECT_LT(scope.view_length(), d.work().clip_seconds() / 2);
  EXPECT_NEAR(scope.seconds_at(600), at, 0.01);
  d.drag(&scope, {300, 60}, {500, 60});
  ASSERT_TRUE(scope.selection());
  EXPECT_NEAR(scope.selection()->begin, scope.seconds_at(300), 0.01);
  QTest::keyClick(&scope, Qt::Key_Escape);
  EXPECT_FALSE(scope.selection());
  QTest::keyClick(&scope, Qt::Key_0);
  EXPECT_NEAR(scope.view_length(), d.work().clip_seconds(), 1e-6);
}

TEST_F(BenchTest, LoopPlaysTheSelection) {
  Scope& scope = d.bench().scope();
  scope.select(SecondsRange{2.0, 2.5});
  QTest::keyClick(&d.window, Qt::Key_L);
  QTest::keyClick(&d.window, Qt::Key_Space);
  QTest::qWait(1300);
  EXPECT_TRUE(d.work().player().playing());
  const double at = static_cast<double>(d.work().player().position()) / 48000;
  EXPECT_GE(at, 2.0);
  EXPECT_LE(at, 2.51);
  QTest::keyClick(&d.window, Qt::Key_Space);
}

TEST_F(BenchTest, TheChainIsCopiedToOtherClips) {
  const int from = d.clip_named("lamp-room-04"), to = d.clip_named("stairs-03");
  d.work().select_clip(from);
  d.work().copy_chain_to({to});
  EXPECT_EQ(d.work().reel().find(to)->chain, d.work().reel().find(from)->chain);
  d.work().undo();
  EXPECT_TRUE(d.work().reel().find(to)->chain.steps.empty());
}

// Half a second is shown by benchmarks/level_path; here, on a machine with other work, only that a
// late change does not cost what the first look at the clip costs.
TEST_F(BenchTest, ALateChangeIsMeasuredSoonerThanTheWholeClip) {
  d.click_clip("log-entry-night");  // a minute
  ASSERT_GT(d.work().clip_seconds(), 60);
  d.work().set_room_tone(SecondsRange{0.2, 1.4});
  ASSERT_TRUE(d.settle());
  const auto measured_in = [&](const std::function<void()>& change) {
    QElapsedTimer clock;
    clock.start();
    change();
    EXPECT_TRUE(d.wait_for([&] { return d.work().levels_fresh(); }));
    return clock.elapsed();
  };
  const auto whole = measured_in([&] { d.work().apply_recipe(DREVAN_SOURCE_DIR "/demo/five.recipe"); });
  auto late = whole * 10;
  for (const double threshold : {-24, -25, -26, -27}) {
    Settings s = d.steps()[3].settings;
    s.values[1] = threshold;
    late = std::min(late, measured_in([&] { d.work().set_settings({ChainOwner::clip, 3}, s, "threshold"); }));
  }
  EXPECT_LT(late, whole);
  std::printf("level path of one minute: %lld ms at first, %lld ms after a late change\n",
              static_cast<long long>(whole), static_cast<long long>(late));
}

TEST(WindowTest, DropAddsFilesAndTellsWhatCannotBeRead) {
  Driver d;
  const QTemporaryDir temp;
  std::ofstream(temp.filePath("letter.wav").toStdString()) << "not sound";
  QString told;
  QObject::connect(&d.work(), &Workspace::message, [&](const QString& text, bool failure) {
    if (failure) told = text;
  });
  QMimeData mime;
  mime.setUrls({QUrl::fromLocalFile(DREVAN_SOURCE_DIR "/demo/foghorn.flac"), QUrl::fromLocalFile(temp.filePath("letter.wav"))});
  QDragEnterEvent enter({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop({100, 100}, Qt::CopyAction, &mime, Qt::LeftButton, {});
  QApplication::sendEvent(&d.window, &drop);
  ASSERT_TRUE(d.wait_for([&] { return d.work().clip() != nullptr; }));
  EXPECT_EQ(d.work().clip()->name, "foghorn");
  EXPECT_TRUE(d.wait_for([&] { return told.contains("letter.wav"); }, 3000));
  EXPECT_EQ(d.work().reel().clips.size(), 1U);
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
}

TEST(WindowTest, AReelWithAMissingSourceOpensAndIsMended) {
  const QTemporaryDir temp;
  const auto path = [&](const char* name) { return std::filesystem::path(temp.filePath(name).toStdString()); };
  std::filesystem::copy_file(DREVAN_SOURCE_DIR "/demo/door-slam.flac", path("door.flac"));
  Reel reel;
  reel.name = "Lost";
  add_clip(reel, examine_source(path("door.flac")), "G");
  save_reel(reel, path("lost.reel"));
  std::filesystem::create_directory(path("away"));
  std::filesystem::rename(path("door.flac"), path("away/door.flac"));
  Driver d;
  ASSERT_TRUE(d.work().open(path("lost.reel")));
  ASSERT_NE(d.work().clip(), nullptr);
  EXPECT_TRUE(d.work().missing(*d.work().clip()));
  d.window.grab();
  EXPECT_TRUE(d.work().relink(d.work().clip_id(), path("away/door.flac")));
  EXPECT_FALSE(d.work().missing(*d.work().clip()));
  EXPECT_TRUE(d.settle());
  for (auto* box : d.window.findChildren<QMessageBox*>()) box->close();
}

TEST(WindowTest, TheTypefaceAndTheMarksAreThere) {
  EXPECT_EQ(QFontInfo(QApplication::font()).family(), "Lato");
  EXPECT_TRUE(QFile::exists(":/marks/check.png"));
}

TEST(WindowTest, EverythingThatCanBeReachedHasANameOrText) {
  Driver d;
  ASSERT_TRUE(d.open_demo());
  for (auto* w : d.window.findChildren<QWidget*>()) {
    if (w->focusPolicy() == Qt::NoFocus || !w->isVisible() || w->objectName().startsWith("qt_")) continue;
    const auto* button = qobject_cast<QAbstractButton*>(w);
    const bool named = !w->accessibleName().isEmpty() || (button && !button->text().isEmpty());
    const bool container = qobject_cast<QScrollBar*>(w) || qobject_cast<QAbstractScrollArea*>(w) || qobject_cast<QMenuBar*>(w) || qobject_cast<QSplitter*>(w);
    EXPECT_TRUE(named || container) << w->metaObject()->className() << " " << w->objectName().toStdString();
  }
}

}  // namespace
}  // namespace drevan::desktop
