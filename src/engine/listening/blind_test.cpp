// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/blind_test.h"

#include <cmath>

namespace drevan {

double chance_of(int right, int trials) {
  double sum = 0, ways = 1;  // ways to choose k of trials
  for (int k = 0; k <= trials; ++k) {
    if (k >= right) sum += ways;
    ways = ways * (trials - k) / (k + 1);
  }
  return sum / std::pow(2.0, trials);
}

}  // namespace drevan
