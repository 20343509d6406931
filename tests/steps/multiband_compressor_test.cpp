// SPDX-License-Identifier: GPL-3.0-or-later
// Each band is turned down on its own, by the published curve (Giannoulis, Massberg and Reiss 2012).
#include <gtest/gtest.h>

#include <cmath>

#include "support/steps.h"

namespace drevan {
namespace {

double out_db(double hz, double in_db,
              std::initializer_list<std::pair<std::string_view, double>> settings) {
  AudioBuffer x = test::sine(hz, std::pow(10, in_db / 20) * std::sqrt(2.0), 2);
  test::run_step(test::with("multiband-compressor", settings), x);
  return test::rms_db(x.channel(0).subspan(48000, 24000));
}

TEST(MultibandCompressor, ABandFollowsItsOwnCurve) {
  const auto settings = {std::pair<std::string_view, double>{"band1_ratio", 1},
                         {"band2_threshold_db", -30},
                         {"band2_ratio", 4},
                         {"band3_ratio", 1}};
  // Far over the knee: threshold + (in - threshold) / ratio.
  EXPECT_NEAR(out_db(700, -10, settings), -30 + 20 / 4.0, 0.5);
  EXPECT_NEAR(out_db(700, -40, settings), -40, 0.1);
  EXPECT_NEAR(out_db(60, -10, settings), -10, 0.2);
  EXPECT_NEAR(out_db(10000, -10, settings), -10, 0.2);
}

TEST(MultibandCompressor, ALoudLowBandLeavesTheHighOneAlone) {
  AudioBuffer x = test::sine(80, 0.7, 2);
  const AudioBuffer high = test::sine(9000, 0.01, 2);
  test::add(x, high, 0);
  test::run_step(
      test::with("multiband-compressor",
                 {{"band1_threshold_db", -40}, {"band1_ratio", 10}, {"band3_threshold_db", -20}}),
      x);
  // The high tone by correlation.
  double re = 0, im = 0;
  for (size_t i = 48000; i < 72000; ++i) {
    const double a = 2 * M_PI * 9000 * static_cast<double>(i) / 48000;
    re += static_cast<double>(x.channel(0)[i]) * std::cos(a);
    im += static_cast<double>(x.channel(0)[i]) * std::sin(a);
  }
  EXPECT_NEAR(20 * std::log10(std::hypot(re, im) / 12000), -40, 0.2);
}

// Whatever the sliders say, corners rise by a third of an octave at least: as if they had been set so.
TEST(MultibandCompressor, CrossedCornersAreKeptApart) {
  const double third = std::cbrt(2.0);
  const auto out = [](double low, double middle, double high) {
    AudioBuffer x = test::noise(0.3, 1, 4);
    test::run_step(test::with("multiband-compressor", {{"bands", 1},
                                                       {"low_hz", low},
                                                       {"middle_hz", middle},
                                                       {"high_hz", high},
                                                       {"band1_threshold_db", -50},
                                                       {"band1_ratio", 8},
                                                       {"band2_gain_db", 6},
                                                       {"band3_gain_db", -9}}),
                   x);
    return x;
  };
  const AudioBuffer crossed = out(600, 400, 700), told = out(600, 600 * third, 600 * third * third),
                    apart = out(600, 2000, 6000);
  double same = 0, other = 0;
  for (size_t i = 0; i < 48000; ++i) {
    same =
        std::max(same, static_cast<double>(std::abs(crossed.channel(0)[i] - told.channel(0)[i])));
    other =
        std::max(other, static_cast<double>(std::abs(crossed.channel(0)[i] - apart.channel(0)[i])));
  }
  EXPECT_LT(same, 1e-5);
  EXPECT_GT(other, 0.05);
}

}  // namespace
}  // namespace drevan
