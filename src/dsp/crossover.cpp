// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/crossover.h"

#include <numbers>

#include "dsp/clones.h"

namespace drevan {

namespace {

constexpr double q = std::numbers::sqrt2 / 2;

BiquadCoefficients low(double hz, double rate) {
  return design_biquad(BiquadKind::low_pass, hz, q, 0, rate);
}
BiquadCoefficients high(double hz, double rate) {
  return design_biquad(BiquadKind::high_pass, hz, q, 0, rate);
}
// What low and high of fourth order sum to: a second-order all-pass with the same poles.
BiquadCoefficients all(double hz, double rate) {
  const auto l = low(hz, rate);
  return {l.a2, l.a1, 1, l.a1, l.a2};
}

}  // namespace

void Crossover::set(const std::array<double, most_bands - 1>& hz, double rate) noexcept {
  auto& [middle, passes, outer] = filters_;
  middle.put(0, low(hz[1], rate));
  middle.put(1, high(hz[1], rate));
  passes.put(0, all(hz[2], rate));
  passes.put(1, all(hz[0], rate));
  outer.put(0, low(hz[0], rate));
  outer.put(1, high(hz[0], rate));
  outer.put(2, low(hz[2], rate));
  outer.put(3, high(hz[2], rate));
}

inline void Crossover::run(const Four& f, State& s, std::array<double, 4>& x) noexcept {
  for (size_t l = 0; l < 4; ++l) {
    const double y = (f.b0[l] * x[l] + f.b1[l] * s.x1[l] + f.b2[l] * s.x2[l]) -
                     (f.a1[l] * s.y1[l] + f.a2[l] * s.y2[l]);
    s.x2[l] = s.x1[l];
    s.x1[l] = x[l];
    s.y2[l] = s.y1[l];
    s.y1[l] = x[l] = y;
  }
}

DREVAN_CLONES void Crossover::split(const std::array<Four, 3>& filters, std::array<State, 5>& state,
                                    std::span<const float> x, Bands& out) noexcept {
  for (size_t i = 0; i < x.size(); ++i) {
    const auto in = static_cast<double>(x[i]);
    std::array<double, 4> v{in, in, 0, 0};
    run(filters[0], state[0], v);
    run(filters[0], state[1], v);
    run(filters[1], state[2], v);
    v = {v[0], v[0], v[1], v[1]};
    run(filters[2], state[3], v);
    run(filters[2], state[4], v);
    for (size_t b = 0; b < most_bands; ++b) out[b][i] = static_cast<float>(v[b]);
  }
}

void Crossover::process(std::span<const float> x, Bands& out) noexcept {
  split(filters_, state_, x, out);
}

}  // namespace drevan
