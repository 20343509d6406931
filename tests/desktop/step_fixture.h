// SPDX-License-Identifier: GPL-3.0-or-later
// A window with the demo reel, for tests that hold the picture of one step.
#pragma once

#include <gtest/gtest.h>

#include "desktop/driver.h"
#include "steps/catalogue.h"

namespace drevan::desktop {

class StepFixture : public testing::Test {
 protected:
  StepFixture() {
    EXPECT_TRUE(d.open_demo());
    d.work().selection.select_clip(d.clip_named("lamp-room-04"));
    EXPECT_TRUE(d.settle());
  }
  void add(const char* id) {
    d.edit(edits::add_step, StepPlace{ChainOwner::clip, 0}, *find_step(id));
    ASSERT_TRUE(d.settle());
    ASSERT_EQ(d.work().selection.step()->type->id, id);
  }
  StepEditor& editor() { return d.bench().editor(); }
  StepPicture& picture() { return *editor().picture(); }
  double value(std::string_view id) {
    const ChainStep& s = *d.work().selection.step();
    return s.settings[static_cast<size_t>(parameter_index(*s.type, id))];
  }
  // The grip that a double click would put this back by.
  Grip grip(std::string_view id, int from = 0) {
    const int index = parameter_index(*d.work().selection.step()->type, id);
    for (const Grip& g : picture().grips())
      if (std::ranges::find(g.resets, index) != g.resets.end() && from-- == 0) return g;
    ADD_FAILURE() << "nothing holds " << id;
    return {};
  }

  Driver d;
};

}  // namespace drevan::desktop
