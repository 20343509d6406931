// SPDX-License-Identifier: GPL-3.0-or-later
// Crossovers against S. Linkwitz, R. Riley, "Active Crossover Networks for Noncoincident Drivers", JAES
// 24(1), 1976: both sides 6.02 dB down at the corner, in phase, and a flat sum.
#include <gtest/gtest.h>

#include <cmath>
#include <complex>

#include "dsp/crossover.h"
#include "support/steps.h"

namespace drevan {
namespace {

std::array<std::complex<double>, 4> responses(const std::array<double, 3>& corners, double hz,
                                              double rate) {
  Crossover x;
  x.set(corners, rate);
  std::array<std::complex<double>, 4> sum{};
  Crossover::Bands out{};
  for (int i = 0; i < 1 << 14; ++i) {
    const float impulse = i == 0 ? 1.0F : 0.0F;
    x.process({&impulse, 1}, out);
    for (size_t b = 0; b < 4; ++b)
      sum[b] += static_cast<double>(out[b][0]) * std::polar(1.0, -2 * M_PI * hz * i / rate);
  }
  return sum;
}

TEST(CrossoverStandard, BandsMeetInPhaseSixDecibelsDown) {
  const std::array<double, 3> corners{150, 1200, 6000};
  for (size_t i = 0; i < corners.size(); ++i) {
    const auto r = responses(corners, corners[i], 48000);
    EXPECT_NEAR(20 * std::log10(std::abs(r[i])), -6.02, 0.15)
        << i;  // their neighbours' slopes reach here, too
    EXPECT_NEAR(20 * std::log10(std::abs(r[i + 1])), -6.02, 0.15) << i;
    EXPECT_NEAR(std::arg(r[i] / r[i + 1]), 0, 0.02) << i;
  }
}

TEST(CrossoverStandard, SlopesAreTwentyFourDecibelsAnOctave) {
  const std::array<double, 3> corners{100, 1000, 10000};
  const double at2 = std::abs(responses(corners, 4000, 96000)[1]),
               at4 = std::abs(responses(corners, 8000, 96000)[1]);
  EXPECT_NEAR(20 * std::log10(at2 / at4), 24.1, 0.8);
}

TEST(CrossoverStandard, BandsSumFlat) {
  for (const double rate : {44100.0, 48000.0, 96000.0})
    for (const auto& corners : {std::array{150.0, 1200.0, 6000.0}, std::array{200.0, 300.0, 450.0},
                                std::array{600.0, 6000.0, 14000.0}})
      for (const double hz :
           {25.0, 100.0, 150.0, 250.0, 420.0, 1200.0, 3000.0, 6000.0, 9000.0, 15000.0}) {
        std::complex<double> sum;
        for (const auto& r : responses(corners, hz, rate)) sum += r;
        EXPECT_NEAR(20 * std::log10(std::abs(sum)), 0, 0.1) << hz;
      }
}

// The whole step at ratio 1, in three and in four bands.
TEST(CrossoverStandard, TheCompressorsBandsSumFlat) {
  for (const double bands : {0.0, 1.0})
    for (const double hz : {60.0, 200.0, 800.0, 2500.0, 6000.0, 12000.0}) {
      AudioBuffer x = test::sine(hz, 0.3, 1.5);
      test::run_step(test::with("multiband-compressor", {{"bands", bands},
                                                         {"band1_ratio", 1},
                                                         {"band2_ratio", 1},
                                                         {"band3_ratio", 1},
                                                         {"band4_ratio", 1}}),
                     x);
      EXPECT_NEAR(test::rms_db(x.channel(0).subspan(24000, 24000)), 20 * std::log10(0.3) - 3.01,
                  0.1)
          << hz;
    }
}

}  // namespace
}  // namespace drevan
