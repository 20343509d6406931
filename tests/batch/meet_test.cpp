// SPDX-License-Identifier: GPL-3.0-or-later
// Bringing clips to targets; judged by the same measuring that `check` uses.
#include "batch/meet.h"

#include <gtest/gtest.h>

#include "support/steps.h"

namespace drevan {
namespace {

class MeetTest : public testing::Test {
 protected:
  MeetTest() {
    options.store = &store;
    options.levels = &levels;
    options.cancel = &never;
  }
  // Real speech at a level, in a room.
  ClipSound voice(double gain, double room) {
    AudioBuffer x = test::noise(room, 9, 2);
    AudioBuffer said = test::speech("demo-congrats");
    for (float& v : said.channel(0)) v *= static_cast<float>(gain);
    test::add(x, said, 1);
    const auto file = folder / (std::to_string(++count) + ".wav");
    test::write_wav(file, x);
    return {file, 0, -1, 48000, {}, {}};
  }
  Levels after(const ClipSound& sound, const Chain& chain) {
    return measure_level_path(plan_of(sound, chain), options).stages.back();
  }

  test::TempFolder folder;
  FindingStore store;
  LevelStore levels;
  const CancelToken never{};
  LevelPathOptions options;
  int count = 0;
};

TEST_F(MeetTest, EveryTargetIsMetOfALowAndOfAHotClip) {
  for (const double gain : {0.05, 0.9}) {
    const ClipSound sound = voice(gain, 2e-6);
    for (const Target& target : targets()) {
      const Meeting m = meet_target(sound, {}, {}, target, options);
      EXPECT_TRUE(m.meets) << target.id << " " << gain << ": " << m.told;
      EXPECT_TRUE(misses(target, after(sound, m.chain)).empty()) << target.id << ": " << m.told;
      EXPECT_LE(m.chain.steps.size(), 2U);
    }
  }
}

// A voice with knocks far above it: no gain alone brings it to a loudness or a power without passing
// the ceiling, be that of true peaks or of samples.
TEST_F(MeetTest, PeaksAreLimitedForEachKindOfCeiling) {
  AudioBuffer x = test::speech("demo-congrats");
  for (float& v : x.channel(0)) v *= 0.2F;
  for (size_t at = 20000; at + 60 < x.channel(0).size(); at += 30000)
    for (size_t i = 0; i < 60; ++i)
      x.channel(0)[at + i] += 0.6F * static_cast<float>(std::sin(0.9 * static_cast<double>(i)));
  test::write_wav(folder / "knocks.wav", x);
  const ClipSound sound{folder / "knocks.wav", 0, -1, 48000, {}, {}};
  Target by_samples;
  by_samples.sample_peak_dbfs.most = -3;
  by_samples.rms_dbfs = {-23.0, -18.0};
  for (const Target& target : {find_target("podcast-mono"), by_samples}) {
    const Meeting m = meet_target(sound, {}, {}, target, options);
    EXPECT_TRUE(m.meets) << target.id << ": " << m.told;
    ASSERT_FALSE(m.chain.steps.empty());
    EXPECT_EQ(m.chain.steps.back().type->id, "limiter") << target.id;
  }
}

TEST_F(MeetTest, TheLastLevelStepIsSetAndNoneIsAdded) {
  const ClipSound sound = voice(0.3, 1e-5);
  const Chain own{{test::with("cut", {}), test::with("normalise", {{"target_db", -12}})}};
  const Meeting m = meet_target(sound, own, {}, find_target("broadcast-r128"), options);
  EXPECT_TRUE(m.meets) << m.told;
  ASSERT_EQ(m.chain.steps.size(), 2U);
  EXPECT_EQ(m.chain.steps[1].type->id, "normalise");
  EXPECT_NE(m.told.find("-23.0"), std::string::npos) << m.told;
}

TEST_F(MeetTest, AClipThatMeetsItIsLeftAlone) {
  const ClipSound sound = voice(0.3, 1e-5);
  const Chain good = meet_target(sound, {}, {}, find_target("podcast"), options).chain;
  const Meeting again = meet_target(sound, good, {}, find_target("podcast"), options);
  EXPECT_FALSE(again.changed);
  EXPECT_TRUE(again.meets);
  EXPECT_EQ(again.chain, good);
}

TEST_F(MeetTest, NoiseThatNoGainHelpsIsToldWithWhatWould) {
  const ClipSound sound = voice(0.3, 0.01);
  const Meeting m = meet_target(sound, {}, {}, find_target("audiobook"), options);
  EXPECT_FALSE(m.meets);
  EXPECT_FALSE(m.changed);
  EXPECT_NE(m.told.find("noise reduction"), std::string::npos) << m.told;
}

TEST_F(MeetTest, StepsOfTheGroupBehindItCount) {
  const ClipSound sound = voice(0.3, 1e-5);
  const Chain later{{test::with("gain", {{"gain_db", 4}})}};
  const Meeting m = meet_target(sound, {}, planned(later, 48000), find_target("podcast"), options);
  EXPECT_TRUE(m.meets) << m.told;
  Chain whole = m.chain;
  whole.steps.push_back(later.steps[0]);
  EXPECT_TRUE(misses(find_target("podcast"), after(sound, whole)).empty());
}

// A group's shared room tone: a clip without one learns from the other's, one with its own from its own.
TEST_F(MeetTest, AGroupMayShareOneClipsRoomTone) {
  AudioBuffer room = test::noise(0.004, 2, 5);
  test::write_wav(folder / "room.wav", room);
  AudioBuffer x = test::noise(0.004, 6, 6);
  test::add(x, test::words(0.3, 5), 1);
  test::write_wav(folder / "words.wav", x);
  Reel reel;
  const ClipId a = add_clip(reel, examine_source(folder / "room.wav"), "Voices");
  const ClipId b = add_clip(reel, examine_source(folder / "words.wav"), "Voices");
  reel.find(a)->room_tone = ClipRange{0.2, 1.8};
  const Chain chain{{test::with("noise-reduction", {{"depth_db", 12}})}};
  EXPECT_FALSE(clip_sound(reel, *reel.find(b)).has_room_tone());
  EXPECT_NEAR(*after(clip_sound(reel, *reel.find(b)), chain).noise_floor_dbfs, -48, 1);
  reel.groups[0].room_tone_clip = a;
  EXPECT_NEAR(*after(clip_sound(reel, *reel.find(b)), chain).noise_floor_dbfs, -60, 1.5);
  const Reel read = reel_from_text(reel_to_text(reel, folder.path()), folder.path(), "test");
  EXPECT_EQ(read, reel);
  // Its own comes first.
  reel.find(b)->room_tone = ClipRange{0.1, 0.9};
  EXPECT_EQ(clip_sound(reel, *reel.find(b)).shared_tone, nullptr);
  const ClipId gone[] = {a};
  remove_clips(reel, gone);
  reel.find(b)->room_tone.reset();
  EXPECT_FALSE(clip_sound(reel, *reel.find(b)).has_room_tone());
}

}  // namespace
}  // namespace drevan
