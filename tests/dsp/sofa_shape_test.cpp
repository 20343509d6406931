// SPDX-License-Identifier: GPL-3.0-or-later
// Files that promise more than they hold, and more than a number holds.
#include "dsp/sofa_shape.h"

#include <gtest/gtest.h>

namespace drevan {
namespace {

TEST(SofaShape, PromisesAreMeasuredByWhatIsThere) {
  EXPECT_TRUE(holds_responses(727040, 710, 2, 512));
  EXPECT_TRUE(holds_responses(727041, 710, 2, 512));
  EXPECT_FALSE(holds_responses(727039, 710, 2, 512));
  EXPECT_FALSE(holds_responses(727040, 711, 2, 512));
  EXPECT_FALSE(holds_responses(0, 1, 1, 1));
  for (const auto& [m, r, n] : {std::tuple{0, 2, 512}, {710, 0, 512}, {710, 2, 0}})
    EXPECT_FALSE(holds_responses(727040, m, r, n));
}

// Their product is 0, or small, in 32 bits or in 64.
TEST(SofaShape, ProductsThatWrapAreNotTakenForSmallOnes) {
  EXPECT_FALSE(holds_responses(727040, 1U << 31, 2, 512));
  EXPECT_FALSE(holds_responses(727040, 1U << 31, 1U << 31, 4));
  EXPECT_FALSE(holds_responses(727040, 65536, 65536, 1));
  EXPECT_FALSE(holds_responses(727040, 0xFFFFFFFF, 0xFFFFFFFF, 0xFFFFFFFF));
  EXPECT_FALSE(holds_responses(727040, (1UL << 63) + 1, 2, 363520));
}

}  // namespace
}  // namespace drevan
