// SPDX-License-Identifier: GPL-3.0-or-later
// Drevan's own recipes, each tried on what it is for: clips of the demo reel.
#include <gtest/gtest.h>

#include "engine/listening/level_path.h"
#include "reel/library/library.h"
#include "reel/reel.h"
#include "support/extent.h"

namespace drevan {
namespace {

class OwnRecipe : public testing::TestWithParam<size_t> {
 protected:
  LevelPath through(const std::string& clip) {
    const Reel reel = load_reel(DREVAN_SOURCE_DIR "/demo/skerry-light.reel");
    const auto at = std::ranges::find(reel.clips, clip, &Clip::name);
    EXPECT_NE(at, reel.clips.end()) << clip;
    ClipSound sound = clip_sound(reel, *at);
    if (!sound.has_room_tone()) sound.room_tone = find_room_tone(sound, never);
    LevelPathOptions options;
    options.store = &store;
    options.levels = &levels;
    options.cancel = &never;
    options.true_peak = true;
    return measure_level_path(plan_of(sound, recipe().chain), options);
  }
  const Recipe& recipe() const { return own_recipes()[GetParam()]; }

  FindingStore store;
  LevelStore levels;
  const CancelToken never{};
};

// Nothing passes full scale, nothing falls silent, and every step did something or is there for safety.
TEST_P(OwnRecipe, LeavesVoicesWholeAndBelowFullScale) {
  DREVAN_IN_FULL_ONLY("every recipe over a real voice");
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  std::vector<const char*> clips{"lamp-room-04", "call-in-01"};
  if (std::ranges::find(recipe().tags, "story") == recipe().tags.end()) clips.push_back("opening");
  for (const char* clip : clips) {
    const auto path = through(clip);
    ASSERT_EQ(path.stages.size(), recipe().chain.steps.size() + 1);
    const Levels& before = path.stages.front();
    const Levels& after = path.stages.back();
    ASSERT_TRUE(after.loudness_lufs) << clip;
    EXPECT_LE(*after.sample_peak_dbfs, 0) << recipe().name << " on " << clip;
    EXPECT_GT(*after.loudness_lufs, -42) << recipe().name << " on " << clip;
    EXPECT_GT(*after.loudness_lufs, *before.loudness_lufs - 12) << recipe().name << " on " << clip;
    for (const Levels& stage : path.stages)
      EXPECT_TRUE(stage.sample_peak_dbfs && std::isfinite(*stage.sample_peak_dbfs)) << clip;
  }
}

// A name, a note and tags to be found by; all values within their ranges.
TEST_P(OwnRecipe, SaysWhatItIsFor) {
  EXPECT_FALSE(recipe().name.empty());
  EXPECT_GT(recipe().note.size(), 15U) << recipe().name;
  EXPECT_FALSE(recipe().tags.empty()) << recipe().name;
  for (const auto& step : recipe().chain.steps)
    for (size_t i = 0; i < step.settings.values.size(); ++i)
      EXPECT_TRUE(in_range(step.type->parameters[i], step.settings[i]))
          << recipe().name << ": " << step.type->id;
}

INSTANTIATE_TEST_SUITE_P(All, OwnRecipe, testing::Range<size_t>(0, own_recipes().size()),
                         [](const auto& of) {
                           std::string name;
                           for (const char c : own_recipes()[of.param].name)
                             if (std::isalnum(static_cast<unsigned char>(c))) name += c;
                           return name;
                         });

}  // namespace
}  // namespace drevan
