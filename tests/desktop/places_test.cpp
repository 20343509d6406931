// SPDX-License-Identifier: GPL-3.0-or-later
// Lines and walls by mouse: what is held is heard.
#include <gtest/gtest.h>

#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <fstream>

#include "desktop/step_fixture.h"
#include "dialogs/sweep_sheet.h"
#include "engine/listening/level_path.h"
#include "steps/places/acoustics_scene.h"
#include "steps/catalogue.h"
#include "steps/picture_spec.h"
#include "work/listening.h"
#include "work/measurements.h"

namespace drevan::desktop {
namespace {

class PlacesTest : public StepFixture {
 protected:
  // Loudness behind the first step.
  double loudness() {
    const auto* path = d.work().measurements.levels();
    return path && path->stages.size() > 1 && path->stages[1].loudness_lufs
               ? *path->stages[1].loudness_lufs
               : -99;
  }
};

TEST_F(PlacesTest, AWallIsOpenedAndMadeThinnerByHand) {
  add("wall");
  const double shut = loudness();
  const Grip gap = grip("opening_m2");
  d.drag(&picture(), gap.at, gap.at + QPointF(0, -30));
  EXPECT_GT(value("opening_m2"), 0.3);
  ASSERT_TRUE(d.settle());
  EXPECT_GT(loudness(), shut + 6) << "an open door is heard";
  d.work().document.undo();
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(value("opening_m2"), 0);
  EXPECT_NEAR(loudness(), shut, 0.1);
  // Its face in the other direction: two leaves closer together let more through.
  const Grip face = grip("thickness_mm");
  d.drag(&picture(), face.at, face.at - QPointF(30, 0));
  EXPECT_LT(value("thickness_mm"), 70);
  ASSERT_TRUE(d.settle());
  EXPECT_GT(loudness(), shut + 1);
}

TEST_F(PlacesTest, ALinesBandIsHeldAndItsNetworkChosen) {
  add("telephone");
  const Grip low = grip("low_hz");
  d.drag(&picture(), low.at, low.at + QPointF(40, 0));
  EXPECT_GT(value("low_hz"), 300);
  const Grip high = grip("high_hz");
  d.drag(&picture(), high.at, high.at - QPointF(90, 0));
  EXPECT_LT(value("high_hz"), 6000);
  ASSERT_TRUE(d.settle());
  // Another codec, and it is measured again.
  const double before = loudness();
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("telephone"), "network"), 6.0);
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("telephone"), "level"), 1.0);
  ASSERT_TRUE(d.settle());
  EXPECT_NE(loudness(), before);
}

TEST_F(PlacesTest, ALoudspeakersEndsDriveAndAngleAreHeld) {
  add("loudspeaker");
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("loudspeaker"), "level"), 1.0);
  ASSERT_TRUE(d.settle());
  const double before = loudness();
  const Grip high = grip("treble_st");
  d.drag(&picture(), high.at, high.at - QPointF(60, 0));
  EXPECT_LT(value("treble_st"), -12);
  ASSERT_TRUE(d.settle());
  EXPECT_GT(std::abs(loudness() - before), 0.5) << "its peaks came down into the voice";
  const Grip low = grip("bass_st");
  d.drag(&picture(), low.at, low.at - QPointF(30, 0));
  EXPECT_LT(value("bass_st"), -5);
  // The line where it clips, to the left: driven harder.
  const double driven = loudness();
  const Grip drive = grip("drive_db");
  d.drag(&picture(), drive.at, drive.at - QPointF(30, 0));
  EXPECT_GT(value("drive_db"), 4);
  ASSERT_TRUE(d.settle());
  EXPECT_GT(loudness(), driven + 1);
  // Walked round it: its rim's right side, then behind it.
  const Grip stand = grip("angle_deg");
  const Grip again = stand;
  d.drag(&picture(), again.at, again.at + QPointF(50, 60));
  EXPECT_GT(value("angle_deg"), 40);
  d.work().document.undo();
  ASSERT_TRUE(d.settle());
  EXPECT_EQ(value("angle_deg"), 0);
}

TEST_F(PlacesTest, OnThePlanSourceListenerWallsAndHeightAreHeld) {
  add("acoustics");
  const double before = loudness();
  EXPECT_EQ(d.work().measurements.levels()->sounds[1].shape.channels, 2) << "two microphones";
  // Farther away, and to the right: quieter.
  const Grip source = grip("distance_m");
  d.drag(&picture(), source.at, source.at + QPointF(25, -20));
  EXPECT_GT(value("azimuth_deg"), 10);
  EXPECT_GT(value("distance_m"), 2.5);
  ASSERT_TRUE(d.settle());
  EXPECT_LT(loudness(), before - 0.1);
  EXPECT_EQ(editor().slider("azimuth_deg")->value(), value("azimuth_deg"));
  // The listener is touched: its settings are shown.
  const Grip listener = grip("stand_x_pct");
  d.drag(&picture(), listener.at, listener.at + QPointF(-15, 8));
  EXPECT_LT(value("stand_x_pct"), 45);
  EXPECT_NE(editor().slider("turn_deg"), nullptr);
  // The right wall goes out: a wider room rings longer.
  const auto rings = [this] {
    const ChainStep& step = *d.work().selection.step();
    return std::get<PlanSpec>(spec_of(step.type->picture)).view(step.settings, 0).decay_s[4];
  };
  const double rang = rings();
  const Grip wall = grip("width_m");
  d.drag(&picture(), wall.at, wall.at + QPointF(30, 0));
  EXPECT_GT(value("width_m"), 5.5);
  EXPECT_GT(rings(), rang);
  const Grip high = grip("elevation_deg");
  d.drag(&picture(), high.at, high.at - QPointF(0, 25));
  EXPECT_GT(value("elevation_deg"), 5);
  while (d.work().document.history().can_undo()) d.work().document.undo();
  ASSERT_TRUE(d.settle());
}

// Heard within the sound it makes: an undo of a path puts it back.
TEST_F(PlacesTest, APathIsSizedByHandAndMovesWhileItPlays) {
  add("acoustics");
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("acoustics"), "path"), 4.0);
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("acoustics"), "path_m"), 2.0);
  ASSERT_TRUE(d.settle());
  const Grip size = grip("path_m");
  d.drag(&picture(), size.at,
         size.at + QPointF(size.at.x() > grip("distance_m").at.x() ? 12 : -12, 0));
  EXPECT_GT(value("path_m"), 2.2);
  ASSERT_TRUE(d.settle());
  auto& player = d.work().listening.player();
  player.set_focus(0);
  player.play();
  std::array<float, max_readings> one{}, two{};
  ASSERT_TRUE(d.wait_for([&] { return player.readings(one) == 3; }));
  ASSERT_TRUE(d.wait_for([&] {
    player.readings(two);
    return std::abs(two[0] - one[0]) > 0.05F;
  }));
  player.pause();
}

// Drawn with Ctrl held, then again without; each is one edit, and undone whole.
TEST_F(PlacesTest, APathIsDrawnOnThePlan) {
  add("acoustics");
  const Settings before = d.work().selection.step()->settings;
  const auto draw = [&](Qt::KeyboardModifiers keys) {
    const QPointF from = grip("distance_m").at + QPointF(-30, 20);
    d.drag(&picture(), from, from + QPointF(40, -20), keys);
    return d.work().selection.step()->settings;
  };
  const Settings nothing = draw({});
  EXPECT_EQ(nothing.texts, before.texts) << "a path is not drawn by chance";
  while (d.steps()[0].settings != before) d.work().document.undo();
  draw(Qt::ControlModifier);
  const Settings drawn = d.work().selection.step()->settings;
  EXPECT_EQ(value("path"), static_cast<double>(SourcePath::drawn));
  EXPECT_FALSE(DrawnPath(drawn.texts[drawn_text]).empty()) << drawn.texts[drawn_text];
  EXPECT_LT(drawn.texts[drawn_text].size(), 100) << "only its corners";
  ASSERT_TRUE(d.settle());
  const PlanView v = std::get<PlanSpec>(spec_of(find_step("acoustics")->picture)).view(drawn, 0);
  EXPECT_GT(v.path.size(), 100);
  d.work().document.undo();
  EXPECT_EQ(d.work().selection.step()->settings, before);
  d.work().document.redo();
  EXPECT_EQ(d.work().selection.step()->settings, drawn);
  EXPECT_NE(draw({}).texts, drawn.texts) << "where it is a drawn path, it is drawn anew";
}

TEST_F(PlacesTest, ASourceIsPlacedInTheRoomByHand) {
  add("acoustics");
  d.edit(edits::turn, d.step_at(0), parameter_index(*find_step("acoustics"), "placed"), 1.0);
  ASSERT_TRUE(d.settle());
  const Grip source = grip("x_m");
  d.drag(&picture(), source.at, source.at + QPointF(-20, 10));
  EXPECT_LT(value("x_m"), 2.4);
  EXPECT_LT(value("y_m"), 4.5);
  const Grip high = grip("z_m");
  d.drag(&picture(), high.at, high.at + QPointF(0, 15));
  EXPECT_LT(value("z_m"), 1.5);
}

// Heard, but in no meter, no level path and no render.
TEST_F(PlacesTest, AnyDeviceIsAWayOfListening) {
  const auto played = [&] {
    auto& listening = d.work().listening;
    listening.seek(ClipTime{0.3});
    EXPECT_TRUE(d.settle());
    listening.player().play();
    EXPECT_TRUE(d.wait_for([&] { return listening.clip_position().s < 1; }));
    EXPECT_TRUE(d.wait_for([&] { return listening.clip_position().s > 1.4; }));
    const auto heard = d.heard(800);
    listening.player().pause();
    EXPECT_TRUE(d.settle());
    return heard;
  };
  const auto choose = [&](const QString& label) {
    for (auto* a : d.window.findChildren<QAction*>())
      if (a->text().remove('&') == label) return a->trigger();
    ADD_FAILURE() << label.toStdString();
  };
  const auto deep = [](const std::vector<float>& x) {  // power below some 150 Hz against all
    double low = 0, power = 0, all = 0;
    for (const float v : x) {
      low += 0.02 * (static_cast<double>(v) - low);
      power += low * low;
      all += static_cast<double>(v) * static_cast<double>(v);
    }
    return power / all;
  };
  const double loud = loudness(), before = deep(played());
  choose("Toy");
  EXPECT_EQ(d.work().listening.listens_on(), 12);
  EXPECT_LT(deep(played()), before / 3) << "a toy has no bass";
  EXPECT_EQ(loudness(), loud);
  choose("Nothing: as it is");
  EXPECT_NEAR(deep(played()) / before, 1, 0.2);
}

// A folder of responses is gone through with the arrows; what is none is passed by.
TEST_F(PlacesTest, ResponsesAreBrowsedInTheirFolder) {
  const test::TempFolder folder;
  AudioBuffer small = test::noise(0.1, 0.05, 1), large = test::noise(0.1, 0.4, 2);
  AudioBuffer silent = test::silence(0.1);
  test::write_wav(folder / "place 2.wav", small);
  test::write_wav(folder / "place 10.wav", large);
  test::write_wav(folder / "place 3.wav", silent);
  std::ofstream(folder / "place 4.txt") << "no response";
  add("convolution");
  d.edit(edits::set_text, d.step_at(0), 0, (folder / "place 2.wav").string());
  d.work().document.end_merge();
  ASSERT_TRUE(d.settle());
  const auto file = [&] {
    return std::filesystem::path(d.steps()[0].settings.texts[0]).filename().string();
  };
  const QImage before = picture().grab().toImage();
  auto* next = d.bench().findChild<QToolButton*>("response_next");
  ASSERT_NE(next, nullptr);
  ASSERT_TRUE(next->isEnabled());
  QTest::mouseClick(next, Qt::LeftButton);
  EXPECT_EQ(file(), "place 10.wav");
  ASSERT_TRUE(d.settle());
  EXPECT_NE(picture().grab().toImage(), before);
  QTest::mouseClick(next, Qt::LeftButton);
  EXPECT_EQ(file(), "place 2.wav") << "round at the end";
  QTest::mouseClick(d.bench().findChild<QToolButton*>("response_before"), Qt::LeftButton);
  EXPECT_EQ(file(), "place 10.wav");
  d.work().document.undo();
  EXPECT_EQ(file(), "place 2.wav") << "what was tried is one edit";
}

// A sweep is written, "played" in a room, and its response becomes the step's.
TEST_F(PlacesTest, AResponseIsMeasuredWithASweep) {
  const test::TempFolder folder;
  add("convolution");
  SweepSheet sheet;
  const auto shown = [&](const char* name) { return sheet.findChild<QPushButton*>(name)->text(); };
  sheet.write_sweep_to(QString::fromStdString((folder / "sweep.wav").string()));
  ASSERT_TRUE(QTest::qWaitFor([&] { return shown("played") == "sweep.wav"; }, 20000));
  AudioBuffer back = test::read_all(folder / "sweep.wav");
  test::add(back, test::noise(0.0005, 5, 3), 0);
  const auto recording = folder / "the cellar, from the door.wav";
  test::write_wav(recording, back);
  // The wrong file is told, and the sheet stays.
  AudioBuffer other = test::noise(0.1, 3, 5);
  test::write_wav(folder / "other.wav", other);
  sheet.set_recording(QString::fromStdString((folder / "other.wav").string()));
  sheet.make();
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return sheet.findChild<QLabel*>("told")->text().contains("does not hold the sweep"); },
      20000));
  EXPECT_EQ(sheet.result(), 0);
  sheet.set_recording(QString::fromStdString(recording.string()));
  sheet.make();
  ASSERT_TRUE(QTest::qWaitFor([&] { return sheet.result() == QDialog::Accepted; }, 20000));
  EXPECT_EQ(sheet.response().section('/', -1), "the cellar, from the door response.wav");
  d.edit(edits::set_text, d.step_at(0), 0, sheet.response().toStdString());
  EXPECT_EQ(d.steps()[0].settings.texts[0], sheet.response().toStdString());
}

TEST_F(PlacesTest, AResponseIsHeldOnItsPicture) {
  add("convolution");
  const auto held = [&](const char* id, QPointF way) {
    const Grip g = grip(id);
    d.drag(&picture(), g.at, g.at + way);
    return value(id);
  };
  EXPECT_LT(held("decay_pct", {-20, 0}), 95);
  EXPECT_GT(held("length_pct", {-30, 0}), 25);
  EXPECT_LT(value("length_pct"), 100);
  EXPECT_GT(held("pre_delay_ms", {25, 0}), 10);
  EXPECT_GT(held("mix_pct", {0, -15}), 36);
  EXPECT_GT(held("start_ms", {25, 0}), 5);
}

}  // namespace
}  // namespace drevan::desktop
