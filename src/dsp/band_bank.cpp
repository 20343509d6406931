// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/band_bank.h"

#include <cmath>
#include <numbers>

namespace drevan {

namespace {

double to_erb(double hz) { return 21.4 * std::log10(1 + 0.00437 * hz); }
double from_erb(double erb) { return (std::pow(10, erb / 21.4) - 1) / 0.00437; }

// Two filters alike are as much narrower than one.
const double pair_narrower = std::sqrt(std::numbers::sqrt2 - 1);

}  // namespace

double BandPlan::edge_hz(double i) const {
  const double low = to_erb(lowest_hz), high = to_erb(highest_hz);
  return from_erb(low + (high - low) * i / count);
}

void BandBank::set(const BandPlan& plan, double ratio, double rate) noexcept {
  used_ = static_cast<size_t>((plan.count + group - 1) / group);
  for (int i = 0; i < static_cast<int>(used_) * group; ++i) {
    EightBands& eight = groups_[static_cast<size_t>(i / group)];
    const auto k = static_cast<size_t>(i % group);
    const double hz = plan.centre_hz(i) * ratio;
    if (i >= plan.count || hz > 0.45 * rate) {
      eight.g[k] = eight.a1[k] = eight.a2[k] = eight.loud[k] = 0;
      continue;
    }
    const double q = plan.centre_hz(i) / plan.width_hz(i) * pair_narrower;
    const double g = std::tan(std::numbers::pi * hz / rate), d = 1 / (1 + g * (g + 1 / q));
    eight.g[k] = static_cast<float>(g);
    eight.a1[k] = static_cast<float>(d);
    eight.a2[k] = static_cast<float>(g * d);
    eight.loud[k] = static_cast<float>(1 / q);
  }
}

void BandBank::reset() noexcept {
  for (auto& eight : groups_) eight.states = {};
}

// Each filter's group delay at its middle is 2 Q / omega.
double BandBank::late(const BandPlan& plan, int band, double rate) {
  return 2 * pair_narrower / (std::numbers::pi * plan.width_hz(band)) * rate;
}

}  // namespace drevan
