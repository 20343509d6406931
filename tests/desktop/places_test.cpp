// Lines and walls by mouse: what is held is heard.
#include <gtest/gtest.h>

#include "desktop/step_fixture.h"
#include "engine/level_path.h"
#include "steps/catalogue.h"
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
    return std::get<PlanSpec>(step.type->picture).view(step.settings, 0).decay_s[4];
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

// Heard, but in no meter, no level path and no render.
TEST_F(PlacesTest, AnyDeviceIsAWayOfListening) {
  const auto played = [&] {
    auto& listening = d.work().listening;
    listening.seek_s(0.3);
    EXPECT_TRUE(d.settle());
    listening.player().play();
    EXPECT_TRUE(d.wait_for([&] { return listening.position_s() < 1; }));
    EXPECT_TRUE(d.wait_for([&] { return listening.position_s() > 1.4; }));
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

}  // namespace
}  // namespace drevan::desktop
