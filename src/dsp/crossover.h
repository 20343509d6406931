// SPDX-License-Identifier: GPL-3.0-or-later
// Splits a stream into bands that sum flat.
#pragma once

#include <array>
#include <span>

#include "dsp/biquad.h"

namespace drevan {

/// One channel in four bands by fourth-order Linkwitz-Riley crossovers (S. Linkwitz, R. Riley,
/// "Active Crossover Networks for Noncoincident Drivers", JAES 24(1), 1976): every corner is 6.02 dB
/// down and in phase on both sides. A half that the other half's crossover does not touch passes an
/// all-pass of the same phase, so all bands together are an all-pass: flat. Real-time safe.
class Crossover {
 public:
  static constexpr int most_bands = 4;

  using Bands = std::array<std::array<float, 64>, most_bands>;
  static constexpr int most_frames = 64;

  /// Three rising corners, each below half the rate; keeps the state, so that corners may glide.
  void set(const std::array<double, most_bands - 1>& hz, double rate) noexcept;
  void reset() noexcept { state_ = {}; }
  /// Bands of at most most_frames samples, lowest first.
  void process(std::span<const float> x, Bands& out) noexcept;

 private:
  // Four second-order sections side by side, each with its own input.
  struct Four {
    std::array<double, 4> b0{}, b1{}, b2{}, a1{}, a2{};
    void put(size_t lane, const BiquadCoefficients& c) noexcept {
      b0[lane] = c.b0, b1[lane] = c.b1, b2[lane] = c.b2, a1[lane] = c.a1, a2[lane] = c.a2;
    }
  };
  // Direct form I: what is kept is sound, not filter, so that corners may move while it runs.
  struct State {
    std::array<double, 4> x1{}, x2{}, y1{}, y2{};
  };
  static void run(const Four& f, State& s, std::array<double, 4>& x) noexcept;
  static void split(const std::array<Four, 3>& filters, std::array<State, 5>& state,
                    std::span<const float> x, Bands& out) noexcept;

  // The middle crossover comes first and gives low and high; then each half passes the all-pass of the
  // other's crossover; then the outer two. Sections of one stage run side by side.
  std::array<Four, 3> filters_{};  // middle, all-passes, outer
  std::array<State, 5> state_{};   // middle twice, all-passes, outer twice
};

}  // namespace drevan
