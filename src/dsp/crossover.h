// Splitting a sound in two bands that add up flat.
#pragma once

#include <array>

#include "dsp/biquad.h"

namespace drevan {

/// Linkwitz and Riley's crossover of fourth order, 24 dB per octave: two Butterworth filters of second
/// order in series on each side (S. Linkwitz, "Active crossover networks for noncoincident drivers",
/// JAES 24(1), 1976). Both are 6.02 dB down at the corner, in phase, and sum to an all-pass: flat.
/// One channel; real-time safe.
class Crossover {
 public:
  /// Takes effect at once; the state is kept.
  void set(double hz, double rate) noexcept {
    const auto low = design_biquad(BiquadKind::low_pass, hz, butterworth_q(2, 0), 0, rate);
    const auto high = design_biquad(BiquadKind::high_pass, hz, butterworth_q(2, 0), 0, rate);
    for (auto& b : low_) b.set(low);
    for (auto& b : high_) b.set(high);
  }
  void reset() noexcept {
    for (auto* pair : {&low_, &high_})
      for (auto& b : *pair) b.reset();
  }
  struct Bands {
    double low, high;
  };
  Bands split(double x) noexcept {
    return {low_[1].process(low_[0].process(x)), high_[1].process(high_[0].process(x))};
  }

 private:
  std::array<Biquad, 2> low_, high_;
};

/// The all-pass that both bands of a Crossover at `hz` sum to: of second order, Q 0.7071.
inline BiquadCoefficients crossover_sum(double hz, double rate) {
  const auto low = design_biquad(BiquadKind::low_pass, hz, butterworth_q(2, 0), 0, rate);
  return {low.a2, low.a1, 1, low.a1, low.a2};
}

}  // namespace drevan
