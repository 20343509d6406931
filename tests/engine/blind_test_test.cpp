// SPDX-License-Identifier: GPL-3.0-or-later
// The blind comparison's hidden sides and its arithmetic.
#include "engine/listening/blind_test.h"

#include <gtest/gtest.h>

namespace drevan {
namespace {

// Upper tails of the binomial distribution, n = 10, p = 1/2: sums of the printed coefficients 1, 10, 45,
// 120 over 1024.
TEST(BlindTest, ChanceIsTheBinomialTail) {
  EXPECT_DOUBLE_EQ(chance_of(10, 10), 1 / 1024.0);
  EXPECT_DOUBLE_EQ(chance_of(9, 10), 11 / 1024.0);
  EXPECT_DOUBLE_EQ(chance_of(8, 10), 56 / 1024.0);
  EXPECT_DOUBLE_EQ(chance_of(7, 10), 176 / 1024.0);
  EXPECT_DOUBLE_EQ(chance_of(0, 10), 1);
  // Nine of ten beat chance, eight do not.
  EXPECT_LT(chance_of(9, 10), 0.05);
  EXPECT_GT(chance_of(8, 10), 0.05);
}

TEST(BlindTest, CountsRightAnswersAndEnds) {
  BlindTest test(7);
  for (int i = 0; i < BlindTest::trials; ++i) {
    EXPECT_EQ(test.trial(), i);
    const bool truth = test.hidden_is_after();
    test.answer(i == 3 ? !truth : truth);
  }
  EXPECT_TRUE(test.finished());
  EXPECT_EQ(test.right(), 9);
  test.answer(true);
  EXPECT_EQ(test.right(), 9);
}

TEST(BlindTest, SidesAreEvenlyHidden) {
  int after = 0;
  for (unsigned seed = 0; seed < 400; ++seed)
    for (BlindTest t(seed); !t.finished(); t.answer(false)) after += t.hidden_is_after() ? 1 : 0;
  EXPECT_NEAR(after, 2000, 130);  // four standard deviations
}

}  // namespace
}  // namespace drevan
