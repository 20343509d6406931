// SPDX-License-Identifier: GPL-3.0-or-later
// The frequency weighting of loudness.
#pragma once

#include <array>
#include <span>

#include "dsp/biquad.h"

namespace drevan {

/// The two sections of ITU-R BS.1770-4 annex 1 for any rate: at 48 kHz the printed coefficients (to
/// 1e-6), elsewhere the same analogue filters by the bilinear transform. Their corner frequencies and
/// gains are those recovered by B. De Man, "Evaluation of Implementations of the EBU R128 Loudness
/// Measurement", AES 145th Convention, 2018 (values from memory, checked against the printed table).
std::array<BiquadCoefficients, 2> k_weighting(double rate);

/// One channel's K-weighted signal. Real-time safe.
class KWeighting {
 public:
  explicit KWeighting(double rate) {
    const auto sections = k_weighting(rate);
    shelf_.set(sections[0]);
    cut_.set(sections[1]);
  }
  void reset() noexcept {
    shelf_.reset();
    cut_.reset();
  }
  double process(double x) noexcept { return cut_.process(shelf_.process(x)); }

 private:
  Biquad shelf_, cut_;
};

/// The sum of squares of a K-weighted signal, four samples at a time: what leaves and what stays
/// inside are linear in what was inside and what comes in, so the filters' feedback is waited for
/// once in four samples.
class KPower {
 public:
  using State =
      std::array<double, 4>;  ///< what is inside the two sections, transposed direct form II
  explicit KPower(double rate);
  double of(std::span<const float> x, State& state) const noexcept;

  /// Of four numbers each: what leaves, and what stays, for one that is inside or comes in.
  struct Tables {
    std::array<std::array<double, 4>, 4> out_of_state, out_of_in, state_of_state, state_of_in;
  };

 private:
  std::array<BiquadCoefficients, 2> sections_;
  Tables tables_{};
};

}  // namespace drevan
