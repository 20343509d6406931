// SPDX-License-Identifier: GPL-3.0-or-later
// The chain behind the sum of everything.
#include <ebur128.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "audio/error.h"
#include "batch/meet.h"
#include "batch/mix.h"
#include "batch/report.h"
#include "reel/edits/edits.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

class MixChain : public testing::Test {
 protected:
  MixChain() {
    reel = test::reel_of(t, {{"0", "Ines"}, {"1", "Boat", 2}, {"2", "Ines"}}, 1.5);
    reel.name = "Skerry";
    reel.clips[0].place = ReelTime{0.25};
    reel.clips[1].place = ReelTime{1.0};
    reel.clips[2].place = ReelTime{2.0};
    settle_step_ids(reel);
  }
  BatchOptions into(const char* folder) {
    BatchOptions o;
    o.folder = t / folder;
    o.samples = SampleType::float32;
    return o;
  }
  std::vector<MixFile> mixed(const char* folder, MixOptions what) {
    return render_mix(reel, into(folder), what, store, never).files;
  }

  TempFolder t;
  Reel reel;
  FindingStore store;
  CancelToken never;
};

double most_difference(const AudioBuffer& a, const AudioBuffer& b, float gain) {
  EXPECT_EQ(a.frames(), b.frames());
  EXPECT_EQ(a.channels(), b.channels());
  double most = 0;
  for (int c = 0; c < std::min(a.channels(), b.channels()); ++c)
    for (size_t i = 0; i < std::min(a.channel(c).size(), b.channel(c).size()); ++i)
      most =
          std::max(most, static_cast<double>(std::abs(a.channel(c)[i] - gain * b.channel(c)[i])));
  return most;
}

TEST_F(MixChain, TheMixGoesThroughItAndStemsSumToWhatEnters) {
  reel.mix.chain.steps = {test::with("gain", {{"gain_db", -6}})};
  const auto files = mixed("out", {true, true, {}});
  ASSERT_EQ(files.size(), 3U);
  const auto sum = mixed("sum", {.mix = true, .stems = false, .target = {}, .mix_chain = false});
  const AudioBuffer before = test::read_all(sum[0].output);
  EXPECT_LT(most_difference(test::read_all(files[0].output), before, std::pow(10.0F, -0.3F)), 1e-6);
  AudioBuffer stems = test::read_all(files[1].output);
  test::add(stems, test::read_all(files[2].output), 0);
  EXPECT_LT(most_difference(stems, before, 1), 1e-6);  // -120 dB
  EXPECT_EQ(files[0].chain, std::vector<std::string>{"Gain"});
  ASSERT_TRUE(files[0].before);
  EXPECT_NEAR(*files[0].before->sample_peak_dbfs - *files[0].levels.sample_peak_dbfs, 6, 0.01);
  EXPECT_TRUE(sum[0].chain.empty());
  EXPECT_TRUE(test::left_over(t / "out").empty());
  // Off is as if it were not there, bit for bit.
  reel.mix.chain.steps[0].on = false;
  EXPECT_EQ(test::bytes(mixed("off", {})[0].output), test::bytes(sum[0].output));
}

// Against libebur128, an implementation of its own.
TEST_F(MixChain, MeetTheTargetBringsTheMixThere) {
  const Source sum = render_sum(reel, t / "aside" / "sum.wav", store, never);
  const Reel shown = with_bus_source(reel, mix_clip_id, sum);
  EXPECT_NEAR(clip_seconds(shown, shown.mix), 3.5, 0.01);
  LevelStore levels;
  LevelPathOptions options;
  options.store = &store;
  options.levels = &levels;
  options.cancel = &never;
  const Target podcast = find_target("podcast");
  const auto met = meet_target(clip_sound(shown, shown.mix), {}, {}, podcast, options);
  ASSERT_TRUE(met.meets) << met.told;
  reel = edits::set_chain(reel, mix_clip_id, met.chain, "Meet the target").next;
  const auto files = mixed("out", {.mix = true, .stems = false, .target = podcast});
  EXPECT_TRUE(files[0].missed.empty());
  const AudioBuffer out = test::read_all(files[0].output);
  ebur128_state* ebur = ebur128_init(2, 48000, EBUR128_MODE_I | EBUR128_MODE_TRUE_PEAK);
  for (size_t i = 0; i < out.channel(0).size(); ++i) {
    const float frame[2] = {out.channel(0)[i], out.channel(1)[i]};
    ebur128_add_frames_float(ebur, frame, 1);
  }
  double loudness = 0, peak = 0;
  ebur128_loudness_global(ebur, &loudness);
  EXPECT_GE(loudness, *podcast.loudness_lufs.least - 0.1);
  EXPECT_LE(loudness, *podcast.loudness_lufs.most + 0.1);
  for (unsigned c = 0; c < 2; ++c) {
    ebur128_true_peak(ebur, c, &peak);
    EXPECT_LE(20 * std::log10(peak), *podcast.true_peak_dbtp.most + 0.1);
  }
  ebur128_destroy(&ebur);
}

TEST_F(MixChain, StepsThatHearAllOrTurnTheClockStandInItToo) {
  reel.mix.chain.steps = {test::with("normalise", {{"measure", 0}, {"target_db", -3}}),
                          make_step("reverse")};
  const auto files = mixed("out", {});
  const AudioBuffer out = test::read_all(files[0].output);
  const AudioBuffer sum = test::read_all(
      mixed("sum", {.mix = true, .stems = false, .target = {}, .mix_chain = false})[0].output);
  ASSERT_EQ(out.frames(), sum.frames());
  const auto last = out.channel(0).size() - 1;
  const float gain = out.channel(0)[last - 60000] / sum.channel(0)[60000];
  for (size_t i = 0; i <= last; i += 97)
    ASSERT_NEAR(out.channel(0)[last - i], gain * sum.channel(0)[i], 1e-5);
  EXPECT_NEAR(*files[0].levels.sample_peak_dbfs, -3, 0.01);
}

TEST_F(MixChain, IsKeptInTheReelsFileWithIdsOfItsOwn) {
  EXPECT_EQ(reel_to_text(reel, t.path()).find("mix_chain"), std::string::npos);
  const auto added =
      edits::add_step(reel, mix_clip_id, {ChainOwner::clip, 0}, *find_step("limiter"));
  EXPECT_GT(added.step.number(), 0);
  EXPECT_FALSE(added.next == reel);
  const Reel read = reel_from_text(reel_to_text(added.next, t.path()), t.path(), "x.reel");
  EXPECT_EQ(read, added.next);
  ASSERT_EQ(read.mix.chain.steps.size(), 1U);
  EXPECT_EQ(read.mix.chain.steps[0].id, added.step);
  EXPECT_EQ(read.find(mix_clip_id), &read.mix);
  EXPECT_EQ(running_steps(read, read.mix).size(), 1U);
  // Group's and reel's chains are per clip, and not upon the sum.
  Reel more = added.next;
  more.chain.steps = {make_step("gain")};
  EXPECT_EQ(running_steps(more, more.mix).size(), 1U);
}

TEST_F(MixChain, WhatOnlyClipsHaveIsRefusedWithASentence) {
  const ClipId mix = mix_clip_id;
  const auto refused = [](auto&& make) {
    try {
      make();
      ADD_FAILURE();
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find("mix"), std::string::npos) << e.what();
    }
  };
  refused([&] { edits::add_step(reel, mix, {ChainOwner::group, 0}, *find_step("gain")); });
  refused([&] { edits::rename_clip(reel, mix, "x"); });
  refused([&] { edits::set_room_tone(reel, mix, ClipRange{0, 1}); });
  refused([&] { edits::share_room_tone(reel, mix, true); });
  refused([&] { edits::remove_clips(reel, std::span(&mix, 1)); });
  refused([&] { edits::sit_out_of_group(reel, mix, true); });
  refused([&] { edits::relink(reel, mix, t / "0.wav"); });
}

// What is looked at follows what changes, and nothing is rendered twice.
TEST_F(MixChain, TheSumIsKnownByItsKeyAndUnchangedClipsAreTakenAsTheyAre) {
  const fs::path aside = t / "aside";
  const auto key = sum_key(reel);
  const AudioBuffer first = test::read_all(render_sum(reel, aside / "sum.wav", store, never).path);
  const auto when = [&](const char* name) { return fs::last_write_time(aside / name); };
  const auto one = when("clip-1.wav"), two = when("clip-2.wav");
  reel.mix.chain.steps = {make_step("limiter")};
  EXPECT_EQ(sum_key(reel), key);
  reel.clips[0].chain.steps = {test::with("gain", {{"gain_db", -3}})};
  const auto turned = sum_key(reel);
  EXPECT_NE(turned, key);
  reel.clips[1].place.s += 0.5;
  EXPECT_NE(sum_key(reel), turned);
  const AudioBuffer then = test::read_all(render_sum(reel, aside / "sum.wav", store, never).path);
  EXPECT_EQ(then.frames(), first.frames());
  EXPECT_NE(when("clip-1.wav"), one);
  EXPECT_EQ(when("clip-2.wav"), two);
  const auto sum = mixed("out", {.mix = true, .stems = false, .target = {}, .mix_chain = false});
  EXPECT_EQ(most_difference(then, test::read_all(sum[0].output), 1), 0);
}

// An echo that rises begins before its clip, also when it is taken as it lies there.
TEST_F(MixChain, WhatLiesThereKeepsItsLead) {
  reel.clips[1].chain.steps = {make_step("reverse"),
                               test::with("cut", {{"low_hz", 20}, {"high_hz", 400}}),
                               make_step("reverse")};
  const AudioBuffer first =
      test::read_all(render_sum(reel, t / "aside" / "sum.wav", store, never).path);
  const AudioBuffer again =
      test::read_all(render_sum(reel, t / "aside" / "sum.wav", store, never).path);
  EXPECT_EQ(most_difference(again, first, 1), 0);
}

TEST_F(MixChain, IsInEveryReport) {
  reel.mix.chain.steps = {test::with("gain", {{"gain_db", -6}}), make_step("limiter")};
  const auto files = mixed("out", {});
  const Report report{{}, {}, {}, files};
  const auto json = report_json(report);
  EXPECT_EQ(json["files"][0]["mix_chain"], (nlohmann::ordered_json{"Gain", "Limiter"}));
  EXPECT_TRUE(json["files"][0]["before"]["loudness_lufs"].is_number());
  EXPECT_NE(report_csv(report).find("Mix chain: Gain, Limiter."), std::string::npos);
  EXPECT_NE(report_html(report).find("the whole reel through Gain, Limiter"), std::string::npos);
}

}  // namespace
}  // namespace drevan
