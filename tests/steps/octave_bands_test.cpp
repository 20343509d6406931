// SPDX-License-Identifier: GPL-3.0-or-later
// Octave bands at the mid-band frequencies of IEC 61260-1 (base ten), true to what is set at every
// one of them although neighbours interact.
#include <gtest/gtest.h>

#include <cmath>

#include "support/steps.h"

namespace drevan {
namespace {

constexpr double iec[] = {31.623, 63.096, 125.89, 251.19, 501.19,
                          1000,   1995.3, 3981.1, 7943.3, 15849};

TEST(OctaveBandsStandard, EveryBandIsWhereItIsSet) {
  const StepType& type = *find_step("octave-bands");
  const std::vector<std::vector<double>> curves{{12, -12, 12, -12, 12, -12, 12, -12, 12, -12},
                                                {12, 12, 12, 12, 12, 12, 12, 12, 12, 12},
                                                {0, 0, 0, 0, 12, 0, 0, 0, 0, 0},
                                                {-12, 1.5, 1.5, 0, -3, 0, 0, -3, 1.5, 2},
                                                {-12, -9, -6, -3, 0, 3, 6, 9, 12, 12}};
  for (const double rate : {44100.0, 48000.0, 96000.0})
    for (const auto& curve : curves)
      for (size_t b = 0; b < 10; ++b)
        EXPECT_NEAR(test::response_db(type, {curve}, iec[b], rate), curve[b], 0.5)
            << rate << " " << iec[b];
}

TEST(OctaveBandsStandard, TheSoundFollowsTheCurve) {
  ChainStep step =
      test::with("octave-bands", {{"band_500_db", 9}, {"band_1k_db", -9}, {"band_2k_db", 6}});
  for (size_t b = 2; b < 10; ++b) {
    AudioBuffer x = test::sine(iec[b], 0.1, 1);
    test::run_step(step, x);
    const double gain = test::rms_db(x.channel(0).subspan(24000)) - (20 * std::log10(0.1) - 3.0103);
    EXPECT_NEAR(gain, step.settings[b], 0.5) << iec[b];
  }
}

// Between equal neighbours the curve does not sag or bulge by more than 1.5 dB.
TEST(OctaveBandsStandard, IsSmoothBetweenEqualBands) {
  const StepType& type = *find_step("octave-bands");
  const Settings all{std::vector<double>(10, 9.0)};
  for (double hz = 35; hz < 14000; hz *= 1.05)
    EXPECT_NEAR(test::response_db(type, all, hz, 48000), 9, 1.5) << hz;
}

}  // namespace
}  // namespace drevan
