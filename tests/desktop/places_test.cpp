// Lines and walls by mouse: what is held is heard.
#include <gtest/gtest.h>

#include "desktop/step_fixture.h"
#include "engine/level_path.h"
#include "steps/catalogue.h"
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

}  // namespace
}  // namespace drevan::desktop
