// SPDX-License-Identifier: GPL-3.0-or-later
// The limiter's promises: no sample above the ceiling; a true peak held to 0.1 dB as ITU-R BS.1770
// measures it (here by libebur128, through LevelMeter); gain that glides; nothing done below.
#include <gtest/gtest.h>

#include <cmath>

#include "measure/levels.h"
#include "steps/catalogue.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::run_step;
using test::with;

// Bursts, speech and noise that are far too loud.
AudioBuffer loud(double rate) {
  AudioBuffer x = test::words(1.5, 2, rate);
  test::add(x, test::noise(0.4, 1, 5, rate), 0.5, rate);
  for (size_t i = 20000; i < x.channel(0).size(); i += 9973) x.channel(0)[i] = 3;
  return x;
}

double true_peak_db(AudioBuffer& x, double rate) {
  LevelMeter meter({rate, x.channels(), static_cast<int>(x.frames())}, Detail::full);
  meter.hear(x.block());
  return *meter.levels().true_peak_dbtp;
}

TEST(LimiterStandard, NoSamplePassesTheCeiling) {
  for (const double rate : {44100.0, 48000.0, 96000.0})
    for (const double look_ahead : {0.5, 4.0, 10.0})
      for (const double ceiling : {-0.1, -6.0}) {
        AudioBuffer x = loud(rate);
        run_step(with("limiter", {{"measure", 0},
                                  {"ceiling_db", ceiling},
                                  {"look_ahead_ms", look_ahead},
                                  {"drive_db", 9}}),
                 x, rate);
        const double most = std::pow(10, ceiling / 20);
        for (const float v : x.channel(0))
          ASSERT_LE(std::abs(static_cast<double>(v)), most * (1 + 1e-6));
      }
}

TEST(LimiterStandard, TruePeakIsHeldToATenthOfADecibel) {
  for (const double rate : {44100.0, 48000.0})
    for (const double ceiling : {-1.0, -6.0}) {
      AudioBuffer x = loud(rate);
      run_step(with("limiter", {{"ceiling_db", ceiling}, {"drive_db", 6}}), x, rate);
      EXPECT_LE(true_peak_db(x, rate), ceiling + 0.1) << rate;
      EXPECT_GE(true_peak_db(x, rate), ceiling - 1.0) << rate;
    }
}

TEST(LimiterStandard, ToneAtAQuarterOfTheRateBetweenItsSamples) {
  // Tech 3341's hardest phase: samples 3 dB below the true peak.
  AudioBuffer x = test::sine(12000, 1.2, 1);
  for (size_t i = 0; i < x.channel(0).size(); ++i) {
    const double fade = std::min(1.0, static_cast<double>(i) / 4800);
    x.channel(0)[i] = static_cast<float>(
        1.2 * fade *
        std::sin(std::numbers::pi / 2 * static_cast<double>(i) + std::numbers::pi / 4));
  }
  run_step(with("limiter", {{"ceiling_db", -3}}), x);
  x.shorten(x.frames() - 200);  // without the sudden end, which is a peak of its own
  EXPECT_NEAR(true_peak_db(x, 48000), -3, 0.15);
}

TEST(LimiterStandard, BelowTheCeilingItOnlyDelays) {
  AudioBuffer x = test::words(0.5, 1);
  const AudioBuffer in = x;
  run_step(with("limiter", {{"ceiling_db", -1}}), x);
  for (size_t i = 0; i < in.channel(0).size(); ++i) ASSERT_EQ(x.channel(0)[i], in.channel(0)[i]);
}

// A dense programme is let go slowly, a single peak quickly.
TEST(LimiterStandard, ReleaseAdapts) {
  const auto reduction_after = [](double loud_s) {
    AudioBuffer x = test::sine(500, 0.25, 2.5);
    for (size_t i = 48000 - static_cast<size_t>(loud_s * 48000); i < 48000; ++i)
      x.channel(0)[i] *= 8;
    run_step(with("limiter", {{"measure", 0}, {"ceiling_db", -6}, {"release_ms", 60}}), x);
    return test::rms_db(x.channel(0).subspan(48000 + 7200, 4800)) - (20 * std::log10(0.25) - 3.01);
  };
  EXPECT_GT(reduction_after(0.01), -0.6);
  EXPECT_LT(reduction_after(0.9), -1.5);
}

}  // namespace
}  // namespace drevan
