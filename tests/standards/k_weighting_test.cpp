// SPDX-License-Identifier: GPL-3.0-or-later
// K-weighting against ITU-R BS.1770-4 annex 1, tables 1 and 2: coefficients at 48 kHz (from memory).
#include <gtest/gtest.h>

#include <cmath>

#include "dsp/k_weighting.h"

namespace drevan {
namespace {

TEST(KWeightingStandard, HasThePrintedCoefficientsAt48Kilohertz) {
  const auto [shelf, cut] = k_weighting(48000);
  EXPECT_NEAR(shelf.b0, 1.53512485958697, 1e-6);
  EXPECT_NEAR(shelf.b1, -2.69169618940638, 1e-6);
  EXPECT_NEAR(shelf.b2, 1.19839281085285, 1e-6);
  EXPECT_NEAR(shelf.a1, -1.69065929318241, 1e-6);
  EXPECT_NEAR(shelf.a2, 0.73248077421585, 1e-6);
  EXPECT_NEAR(cut.a1, -1.99004745483398, 1e-6);
  EXPECT_NEAR(cut.a2, 0.99007225036621, 1e-6);
}

// Annex 1: a 997 Hz sine of 0 dBFS in one channel reads -3.01 LKFS, so the weighting lifts it by 0.691 dB;
// at other rates it is the same filter.
TEST(KWeightingStandard, LiftsTheReferenceToneByTheConstant) {
  for (const double rate : {44100.0, 48000.0, 96000.0}) {
    const auto [shelf, cut] = k_weighting(rate);
    const double db =
        20 * std::log10(std::abs(response(shelf, 997, rate) * response(cut, 997, rate)));
    EXPECT_NEAR(db, 0.691, 0.02) << rate;
  }
}

}  // namespace
}  // namespace drevan
