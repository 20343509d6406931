// SPDX-License-Identifier: GPL-3.0-or-later
// What takes how much time while it plays.
#pragma once

#include <chrono>

namespace drevan {

/// Adds the seconds that it lives to a sum in which what is long past counts little.
class Spent {
 public:
  explicit Spent(double& sum) : sum_(sum) {}
  ~Spent() {
    const std::chrono::duration<double> now = std::chrono::steady_clock::now() - begin_;
    sum_ = 0.99 * sum_ + now.count();
  }
  Spent(const Spent&) = delete;
  Spent& operator=(const Spent&) = delete;

 private:
  double& sum_;
  std::chrono::steady_clock::time_point begin_ = std::chrono::steady_clock::now();
};

}  // namespace drevan
