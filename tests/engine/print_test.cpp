// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/crossfade.h"
#include "engine/making/print.h"

#include <gtest/gtest.h>

#include "audio/error.h"
#include "support/sounds.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::TempFolder;

class Printing : public ::testing::Test {
 protected:
  PrintResult print(AudioBuffer& sound, const Chain& chain, std::optional<ClipRange> range,
                    double fade_s = 0.05) {
    test::write_wav(t_ / "in.wav", sound);
    const CancelToken never;
    std::filesystem::remove(t_ / "versions" / "out.wav");  // a print replaces nothing
    return print_clip({plan_of({t_ / "in.wav", 0, -1, 48000, std::nullopt}, chain), range, fade_s,
                       t_ / "versions" / "out.wav"},
                      store_, never);
  }
  AudioBuffer printed() { return test::read_all(t_ / "versions" / "out.wav"); }
  TempFolder t_;
  FindingStore store_;
};

TEST_F(Printing, ASelectionLeavesTheRestToTheBit) {
  AudioBuffer x = test::noise(0.1, 3, 5);
  print(x, {{test::with("gain", {{"gain_db", -12}})}}, ClipRange{1, 2});
  const AudioBuffer in = test::read_all(t_ / "in.wav"), out = printed();
  ASSERT_EQ(out.frames(), in.frames());
  EXPECT_EQ(out.channels(), 1);
  for (size_t i = 0; i < 144000; ++i) {
    if (i < 48000 || i >= 96000) {
      ASSERT_EQ(out.channel(0)[i], in.channel(0)[i]) << i;
    } else if (i >= 48000 + 2400 && i < 96000 - 2400) {
      ASSERT_NEAR(out.channel(0)[i], in.channel(0)[i] * 0.251189F, 1e-6) << i;
    }
  }
}

// A step that is late by itself must not shift the selection against what surrounds it.
TEST_F(Printing, ASelectionStaysInTime) {
  AudioBuffer x = test::sine(1000, 0.1, 3);
  print(x, {{test::with("limiter", {{"ceiling_db", 0}})}}, ClipRange{1, 2});
  const AudioBuffer in = test::read_all(t_ / "in.wav"), out = printed();
  for (size_t i = 0; i < 144000; ++i) ASSERT_NEAR(out.channel(0)[i], in.channel(0)[i], 2e-5) << i;
}

// Fink, Holters and Zoelzer 2016: the power of the sum stays for any likeness.
TEST(Crossfade, KeepsPowerForAnyLikeness) {
  for (const double alike : {0.0, 0.3, 0.7, 1.0})
    for (double t = 0; t <= 1; t += 0.125) {
      const auto [going, coming] = crossfade(t, alike);
      const double a = static_cast<double>(going), b = static_cast<double>(coming);
      EXPECT_NEAR(a * a + b * b + 2 * alike * a * b, 1, 1e-6) << t << " " << alike;
    }
  EXPECT_NEAR(crossfade(0.5, 1).first, 0.5, 1e-6);             // equal gain
  EXPECT_NEAR(crossfade(0.5, 0).first, std::sqrt(0.5), 1e-6);  // equal power
}

TEST_F(Printing, TheLawIsChosenByMeasuring) {
  AudioBuffer x = test::noise(0.1, 3, 5);
  const auto like = print(x, {{test::with("gain", {{"gain_db", -6}})}}, ClipRange{1, 2});
  EXPECT_NEAR(*like.alike_in, 1, 1e-4);
  EXPECT_NEAR(*like.alike_out, 1, 1e-4);
  // A low cut far above leaves little that is alike.
  const auto unlike =
      print(x, {{test::with("cut", {{"low_hz", 1000}, {"low_slope_db", 4}})}}, ClipRange{1, 2});
  EXPECT_LT(*unlike.alike_in, *like.alike_in);
  // To the clip's ends there is nothing to fade from.
  const auto all = print(x, {{test::with("gain", {{"gain_db", -6}})}}, ClipRange{0, 3});
  EXPECT_FALSE(all.alike_in || all.alike_out);
  EXPECT_NEAR(printed().channel(0)[0], test::read_all(t_ / "in.wav").channel(0)[0] * 0.501187F,
              1e-6);
}

TEST_F(Printing, AllOfAClipIsWhatARenderGives) {
  AudioBuffer x = test::words(0.2, 3);
  const Chain chain{{test::with("compressor", {{"threshold_db", -30}}),
                     test::with("normalise", {{"target_db", 0}})}};
  const auto result = print(x, chain, std::nullopt);
  const CancelToken never{};
  render_clip({plan_of({t_ / "in.wav", 0, -1, 48000, std::nullopt}, chain), t_ / "r.wav",
               Container::wav, SampleType::float32},
              store_, never);
  EXPECT_EQ(test::bytes(t_ / "versions" / "out.wav"), test::bytes(t_ / "r.wav"));
  EXPECT_NEAR(*result.levels.sample_peak_dbfs, 0, 0.01);
}

TEST_F(Printing, RefusesARangeOutsideAndLeavesNothing) {
  AudioBuffer x = test::noise(0.1, 1, 5);
  EXPECT_THROW(print(x, {}, ClipRange{2, 3}), Error);
  EXPECT_FALSE(std::filesystem::exists(t_ / "versions" / "out.wav"));
}

// One gain over a group: its loudest clip reaches the goal, differences stay.
TEST(GroupNormalise, KeepsTheDifferences) {
  const TempFolder t;
  Reel reel;
  const double peaks[] = {0.1, 0.4, 0.05};
  for (int i = 0; i < 3; ++i) {
    AudioBuffer x = test::sine(500, peaks[i], 1, 48000, i == 2 ? 2 : 1);
    const auto file = t / (std::to_string(i) + ".wav");
    test::write_wav(file, x);
    add_clip(reel, examine_source(file), i == 2 ? "Other" : "Ines");
  }
  reel.groups[0].chain.steps = {test::with("gain", {{"gain_db", -6}}),
                                test::with("normalise", {{"target_db", -3}, {"over", 1}})};
  FindingStore store;
  const auto peak_of = [&](int clip) {
    const CancelToken never;
    float peak = 0;
    ProcessOptions o;
    o.store = &store;
    o.cancel = &never;
    const Clip& c = reel.clips[static_cast<size_t>(clip)];
    process_clip(plan_of(reel, c), o, [&](const AudioBlock& b) {
      for (const float v : b.channel(0)) peak = std::max(peak, std::abs(v));
    });
    return 20 * std::log10(static_cast<double>(peak));
  };
  EXPECT_NEAR(peak_of(1), -3, 0.01);
  EXPECT_NEAR(peak_of(0), -3 - 12.04, 0.01);
  // A change to a neighbour reaches this clip: its finding is another one.
  const auto keys = [&] { return stage_keys(plan_of(reel, reel.clips[0])); };
  const auto before = keys();
  reel.clips[1].chain.steps = {test::with("gain", {{"gain_db", -12}})};
  EXPECT_NE(keys().back(), before.back());
  EXPECT_NEAR(peak_of(0), -3 - 0.04, 0.01);
  // Who sits out does not count.
  sit_out_of_step(reel.groups[0].chain.steps[1], 2, true);
  EXPECT_NEAR(peak_of(0), -3, 0.01);
  EXPECT_NEAR(peak_of(1), 20 * std::log10(0.4) - 18, 0.01);
}

}  // namespace
}  // namespace drevan
