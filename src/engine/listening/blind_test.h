// SPDX-License-Identifier: GPL-3.0-or-later
// A comparison in which one cannot see what one hears.
#pragma once

#include <random>
#include <vector>

namespace drevan {

/// Ten trials; in each a hidden sound is one of two, and the listener says which. Truly at random, told
/// only at the end.
class BlindTest {
 public:
  static constexpr int trials = 10;

  explicit BlindTest(unsigned seed) {
    std::mt19937 random(seed);
    for (int i = 0; i < trials; ++i) hidden_.push_back((random() >> 16) % 2 == 1);
  }
  /// 0 to trials; the trial that runs.
  int trial() const { return static_cast<int>(answers_.size()); }
  bool finished() const { return trial() == trials; }
  /// Whether the hidden sound of this trial is the second of the two (after).
  bool hidden_is_after() const { return hidden_.at(answers_.size()); }
  void answer(bool after) {
    if (!finished()) answers_.push_back(after);
  }
  /// How many answers were right so far.
  int right() const {
    int n = 0;
    for (size_t i = 0; i < answers_.size(); ++i) n += answers_[i] == hidden_[i] ? 1 : 0;
    return n;
  }

 private:
  std::vector<bool> hidden_, answers_;
};

/// How likely at least `right` of `trials` are by guessing alone: the upper tail of the binomial
/// distribution with p = 1/2. Below 0.05 the difference counts as heard.
double chance_of(int right, int trials);

}  // namespace drevan
