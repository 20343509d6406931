// SPDX-License-Identifier: GPL-3.0-or-later
// What a clip's sound is, when it counts as another one, and what it shares with its group.
#include "engine/planning/clip_sound.h"

#include <gtest/gtest.h>

#include "audio/error.h"
#include "engine/rendering/process.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

class ClipSoundTest : public testing::Test {
 protected:
  void SetUp() override {
    reel = test::reel_of(
        folder, {{"one", "Voices"}, {"two", "Voices"}, {"wide", "Voices", 2}, {"other", "Others"}},
        2);
  }
  ClipSound sound(size_t clip) { return clip_sound(reel, reel.clips[clip]); }
  std::uint64_t last_key(size_t clip) { return stage_keys(plan_of(reel, reel.clips[clip])).back(); }

  test::TempFolder folder;
  Reel reel;
};

TEST_F(ClipSoundTest, IsAnotherOneWhenFileRangeOrRateChange) {
  const auto before = identity(sound(0));
  EXPECT_EQ(identity(sound(0)), before);
  ClipSound s = sound(0);
  s.room_tone = ClipRange{0.1, 0.9};
  EXPECT_EQ(identity(s), before);  // the room tone is no part of it
  for (const auto& change : std::initializer_list<std::function<void(ClipSound&)>>{
           [](ClipSound& x) { x.begin += 1; }, [](ClipSound& x) { x.frames -= 1; },
           [](ClipSound& x) { x.rate = 44100; },
           [&](ClipSound& x) { x.file = folder / "two.wav"; }}) {
    ClipSound other = sound(0);
    change(other);
    EXPECT_NE(identity(other), before);
  }
  AudioBuffer x = test::noise(0.05, 2, 99);
  std::filesystem::last_write_time(
      folder / "one.wav", std::filesystem::file_time_type::clock::now() - std::chrono::hours(1));
  EXPECT_NE(identity(sound(0)), before);
}

TEST_F(ClipSoundTest, IsReadAtTheWorkingRateFromItsRange) {
  reel.rate = 24000;
  reel.clips[0].begin = 12000;
  reel.clips[0].frames = 48000;
  ClipReader reader(sound(0));
  EXPECT_EQ(reader.frames(), 24000);
  AudioBuffer all(1, 30000);
  int read = 0;
  for (int n = 0; (n = reader.read(all.block(read, std::min(4096, 30000 - read)))) > 0;) read += n;
  EXPECT_EQ(read, 24000);
  // The same frames again after seeking back.
  AudioBuffer again(1, 1000);
  reader.seek(5000);
  ASSERT_EQ(reader.read(again.block()), 1000);
  for (size_t i = 100; i < 1000; ++i)
    ASSERT_NEAR(again.channel(0)[i], all.channel(0)[5000 + i], 1e-4) << i;
}

TEST_F(ClipSoundTest, ARoomToneMayBeSharedByTheGroup) {
  EXPECT_FALSE(sound(1).has_room_tone());
  reel.clips[0].room_tone = ClipRange{0.2, 1.2};
  reel.groups[0].room_tone_clip = reel.clips[0].id;
  ASSERT_TRUE(sound(1).has_room_tone());
  EXPECT_EQ(sound(1).shared_tone->file, reel.sources[0].path);
  EXPECT_FALSE(sound(3).has_room_tone());  // another group
  reel.clips[1].room_tone = ClipRange{0.3, 1};
  EXPECT_FALSE(sound(1).shared_tone && !sound(1).room_tone);  // its own comes first
  EXPECT_EQ(sound(1).room_tone->begin.s, 0.3);
}

TEST_F(ClipSoundTest, ARoomToneThatCannotBeIsToldInASentence) {
  for (const ClipRange bad :
       {ClipRange{0, 0.3}, ClipRange{-0.1, 1}, ClipRange{1.5, 2.6}, ClipRange{3, 4}}) {
    try {
      require_room_tone(bad, 2, "one.wav");
      ADD_FAILURE() << bad.begin.s;
    } catch (const Error& e) {
      EXPECT_EQ(e.kind(), Error::Kind::call);
      EXPECT_NE(std::string(e.what()).find("one.wav"), std::string::npos);
    }
  }
  EXPECT_NO_THROW(require_room_tone({0, 0.5}, 2, "one.wav"));
  EXPECT_NO_THROW(require_room_tone({1.5, 2}, 2, "one.wav"));
}

// With one gain over the group a change to one clip reaches all, and none outside.
TEST_F(ClipSoundTest, WhatIsLearnedInCommonTiesTheGroupTogether) {
  const auto keys = [&] {
    std::vector<std::uint64_t> out;
    for (size_t i = 0; i < reel.clips.size(); ++i) out.push_back(last_key(i));
    return out;
  };
  reel.groups[0].chain.steps = {test::with("normalise", {{"over", 0}})};
  auto before = keys();
  reel.clips[0].chain.steps = {test::with("gain", {{"gain_db", -6}})};
  auto after = keys();
  EXPECT_NE(after[0], before[0]);
  EXPECT_EQ(after[1], before[1]);  // each on its own
  reel.groups[0].chain.steps = {test::with("normalise", {{"over", 1}})};
  before = keys();
  reel.clips[0].chain.steps[0] = test::with("gain", {{"gain_db", -3}});
  after = keys();
  EXPECT_NE(after[1], before[1]);
  EXPECT_NE(after[2], before[2]);
  EXPECT_EQ(after[3], before[3]);
  // Who sits out is not heard by the others, and hears none of it.
  sit_out_of_step(reel.groups[0].chain.steps[0], reel.clips[0].id, true);
  before = keys();
  reel.clips[0].chain.steps[0] = test::with("gain", {{"gain_db", -9}});
  after = keys();
  EXPECT_NE(after[0], before[0]);
  EXPECT_EQ(after[1], before[1]);
}

TEST_F(ClipSoundTest, GroupStepsBecomeTheClipsOwnWithoutChangingItsSound) {
  reel.clips[1].chain.steps = {test::with("gain", {{"gain_db", 1}})};
  reel.groups[0].chain.steps = {test::with("gain", {{"gain_db", 2}}),
                                test::with("gain", {{"gain_db", 3}}),
                                test::with("gain", {{"gain_db", 4}})};
  reel.groups[0].chain.steps[1].on = false;
  sit_out_of_step(reel.groups[0].chain.steps[2], reel.clips[1].id, true);
  const auto before = last_key(1);
  take_group_chain(reel, reel.clips[1]);
  reel.groups[0].chain = {};
  EXPECT_EQ(last_key(1), before);
  EXPECT_EQ(reel.clips[1].chain.steps.size(), 2U);
}

}  // namespace
}  // namespace drevan
