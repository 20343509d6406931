// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness and true peak against EBU Tech 3341 (2016) and Tech 3342 (2016), with their signals made
// from the descriptions in those documents (levels and lengths quoted from memory).
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "measure/levels.h"
#include "support/sounds.h"

namespace drevan {
namespace {

struct Part {
  double db, seconds;
};

// A stereo 1 kHz sine whose peak level changes from part to part.
Levels measure(std::initializer_list<Part> parts, double hz = 1000) {
  constexpr double rate = 48000;
  LevelMeter meter({rate, 2, 4800}, Detail::full);
  AudioBuffer block(2, 4800);
  double phase = 0;
  for (const Part& part : parts) {
    const double a = std::pow(10, part.db / 20);
    for (int b = 0; b < static_cast<int>(std::lround(part.seconds * 10)); ++b) {
      for (size_t i = 0; i < 4800; ++i, phase += hz / rate)
        block.channel(0)[i] = block.channel(1)[i] =
            static_cast<float>(a * std::sin(2 * std::numbers::pi * phase));
      meter.hear(block.block());
    }
  }
  return meter.levels();
}

TEST(LoudnessStandard, Tech3341Integrated) {
  EXPECT_NEAR(*measure({{-23, 20}}).loudness_lufs, -23.0, 0.1);                        // case 1
  EXPECT_NEAR(*measure({{-33, 20}}).loudness_lufs, -33.0, 0.1);                        // case 2
  EXPECT_NEAR(*measure({{-36, 10}, {-23, 60}, {-36, 10}}).loudness_lufs, -23.0, 0.1);  // case 3
  EXPECT_NEAR(
      *measure({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}).loudness_lufs,  // case 4
      -23.0, 0.1);
  EXPECT_NEAR(*measure({{-26, 20}, {-20, 20.1}, {-26, 20}}).loudness_lufs, -23.0, 0.1);  // case 5
}

TEST(LoudnessStandard, Tech3341ShortTermMaximum) {
  // Cases 9 and 12 in kind: the largest 3 s window of a steady part.
  EXPECT_NEAR(*measure({{-40, 5}, {-23, 5}, {-40, 5}}).short_term_max_lufs, -23.0, 0.1);
}

TEST(LoudnessStandard, Tech3342Range) {
  EXPECT_NEAR(*measure({{-20, 20}, {-30, 20}}).loudness_range_lu, 10, 1);  // case 1
  EXPECT_NEAR(*measure({{-20, 20}, {-15, 20}}).loudness_range_lu, 5, 1);   // case 2
  EXPECT_NEAR(*measure({{-40, 20}, {-20, 20}}).loudness_range_lu, 20, 1);  // case 3
  EXPECT_NEAR(*measure({{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}).loudness_range_lu,
              15, 1);  // case 4
}

// ITU-R BS.1770 annex 2 by Tech 3341 cases 15 and 16: a sine at a quarter of the rate whose samples
// miss its peaks; -6 dBTP +0.2 / -0.4.
TEST(LoudnessStandard, TruePeakBetweenSamples) {
  for (const double degrees : {0.0, 45.0}) {
    AudioBuffer x(1, 48000);
    for (size_t i = 0; i < 48000; ++i) {
      const double fade =
          std::min({1.0, static_cast<double>(i) / 4800, static_cast<double>(48000 - i) / 4800});
      x.channel(0)[i] = static_cast<float>(0.5 * fade *
                                           std::sin(std::numbers::pi / 2 * static_cast<double>(i) +
                                                    degrees * std::numbers::pi / 180));
    }
    LevelMeter meter({48000, 1, 48000}, Detail::full);
    meter.hear(x.block());
    EXPECT_LT(*meter.levels().true_peak_dbtp, -6.0 + 0.2) << degrees;
    EXPECT_GT(*meter.levels().true_peak_dbtp, -6.0 - 0.4) << degrees;
  }
}

}  // namespace
}  // namespace drevan
