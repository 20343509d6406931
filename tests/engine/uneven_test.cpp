// SPDX-License-Identifier: GPL-3.0-or-later
// Clips that stand out of their group, and the voice that stands in for a clip.
#include "engine/planning/uneven.h"

#include <gtest/gtest.h>

#include "audio/hash.h"
#include "engine/listening/level_path.h"
#include "engine/listening/reference_voice.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

// Six clips of one voice with room noise; two groups of five and one.
class UnevenTest : public testing::Test {
 protected:
  void SetUp() override {
    for (int i = 0; i < 6; ++i) {
      AudioBuffer x = test::noise(0.0005, 3, static_cast<unsigned>(40 + i));
      test::add(x, test::words(0.2, 2.4), 0.5);
      files.push_back(folder / ("take-" + std::to_string(i) + ".wav"));
      test::write_wav(files.back(), x);
      add_clip(reel, examine_source(files.back()), i < 5 ? "Voice" : "Alone");
    }
  }
  std::vector<Uneven> found() {
    std::vector<ClipTraits> traits;
    for (const auto& c : reel.clips) traits.push_back(measure_traits(reel, c, store, never));
    return uneven_clips(reel, traits);
  }
  Chain& chain(int i) { return reel.clips[static_cast<size_t>(i)].chain; }

  test::TempFolder folder;
  std::vector<std::filesystem::path> files;
  Reel reel;
  FindingStore store;
  const CancelToken never{};
};

TEST_F(UnevenTest, LikeClipsAreNotTold) { EXPECT_TRUE(found().empty()); }

TEST_F(UnevenTest, ALoudOneIsToldByHowMuch) {
  chain(2).steps = {test::with("gain", {{"gain_db", 4}})};
  const auto all = found();
  const auto level = std::ranges::find(all, Unevenness::level, &Uneven::what);
  ASSERT_NE(level, all.end());
  EXPECT_EQ(level->clip, reel.clips[2].id);
  EXPECT_NEAR(level->by, 4, 0.2);
  EXPECT_NE(level->told.find("louder than its group"), std::string::npos);
  EXPECT_EQ(std::ranges::count(all, Unevenness::level, &Uneven::what), 1);
  // 4 dB of noise floor are within its limit of 6.
  EXPECT_EQ(std::ranges::count(all, Unevenness::noise_floor, &Uneven::what), 0);
  // Another chain than the rest has.
  EXPECT_EQ(std::ranges::count(all, Unevenness::chain, &Uneven::what), 1);
}

TEST_F(UnevenTest, ANoisyRoomIsTold) {
  AudioBuffer x = test::noise(0.004, 3, 50);  // 18 dB more
  test::add(x, test::words(0.2, 2.4), 0.5);
  test::write_wav(files[1], x);
  const auto all = found();
  const auto noise = std::ranges::find(all, Unevenness::noise_floor, &Uneven::what);
  ASSERT_NE(noise, all.end());
  EXPECT_EQ(noise->clip, reel.clips[1].id);
  EXPECT_NEAR(noise->by, 18.06, 0.6);
}

TEST_F(UnevenTest, AnotherToneIsToldWithItsBand) {
  chain(4).steps = {test::with("cut", {{"low_hz", 500}})};
  const auto all = found();
  const auto tone = std::ranges::find(all, Unevenness::tone, &Uneven::what);
  ASSERT_NE(tone, all.end());
  EXPECT_EQ(tone->clip, reel.clips[4].id);
  EXPECT_LT(tone->by, -6);
  EXPECT_NE(tone->told.find("less around"), std::string::npos);
  // Level alone is no tone.
  chain(4).steps = {test::with("gain", {{"gain_db", -12}})};
  EXPECT_EQ(std::ranges::count(found(), Unevenness::tone, &Uneven::what), 0);
}

TEST_F(UnevenTest, WhoSitsOutIsToldAndAGroupOfOneNever) {
  reel.groups[0].chain.steps = {test::with("gain", {{"gain_db", 0}})};
  reel.groups[1].chain.steps = {test::with("gain", {{"gain_db", 20}})};
  sit_out_of_group(reel, reel.clips[3].id, true);
  const auto all = found();
  ASSERT_EQ(all.size(), 1U);
  EXPECT_EQ(all[0].clip, reel.clips[3].id);
  EXPECT_EQ(all[0].what, Unevenness::chain);
  EXPECT_EQ(all[0].told, "sits out of the group's chain");
}

TEST_F(UnevenTest, SilenceHasNoLevelToDifferBy) {
  AudioBuffer quiet = test::silence(3);
  test::write_wav(files[0], quiet);
  for (const auto& u : found()) EXPECT_NE(u.clip, reel.clips[0].id) << u.told;
}

// IEC 61260-1: nominal 100 Hz to 10 kHz are 1000 * 10^(n/10), n = -10 .. 10.
TEST(ToneBands, AreTheStandardsThirds) {
  EXPECT_NEAR(tone_band_hz(0), 100, 1e-9);
  EXPECT_NEAR(tone_band_hz(10), 1000, 1e-9);
  EXPECT_NEAR(tone_band_hz(13), 1995.26, 0.01);
  EXPECT_NEAR(tone_band_hz(tone_bands - 1), 10000, 1e-6);
}

TEST(ReferenceVoice, IsTheSameEveryTimeAndIsAsItSays) {
  const test::TempFolder a, b;
  const auto first = reference_voice(a.path()), second = reference_voice(b.path());
  EXPECT_EQ(hash_file(first.file), hash_file(second.file));
  ASSERT_TRUE(first.room_tone);
  FindingStore store;
  LevelStore levels;
  const CancelToken never{};
  LevelPathOptions options;
  options.store = &store;
  options.levels = &levels;
  options.cancel = &never;
  const auto path = measure_level_path({first}, options);
  EXPECT_NEAR(*path.stages[0].sample_peak_dbfs, -9, 0.5);
  EXPECT_NEAR(*path.stages[0].noise_floor_dbfs, -52, 2);
  EXPECT_EQ(judge_room_tone(first, never).flaw, RoomToneFlaw::none);
  // What is there is not written again.
  const auto time = std::filesystem::last_write_time(first.file);
  reference_voice(a.path());
  EXPECT_EQ(std::filesystem::last_write_time(first.file), time);
}

}  // namespace
}  // namespace drevan
