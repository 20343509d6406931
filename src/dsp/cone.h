// SPDX-License-Identifier: GPL-3.0-or-later
// The moving part of a loudspeaker.
#pragma once

#include <array>
#include <cmath>
#include <cstddef>
#include <span>

#include "audio/buffer.h"

namespace drevan {

/// A mass on a spring that grows stiffer the farther it moves: y'' + w/Q y' + w^2 (1 + (y/X)^2) y =
/// w^2 u (W. Klippel, "Loudspeaker nonlinearities - causes, parameters, symptoms", JAES 54(10),
/// 2006; only the spring of it), by the trapezoidal rule, the spring as it was a sample ago. What
/// is heard is its acceleration y'' / w^2. All channels of a stream. Real-time safe.
class Cone {
 public:
  static constexpr int most_frames = 256;
  using Values = std::array<double, most_frames>;
  /// Frame by frame: tan(pi f / rate), 1 / Q, and 1 / X^2.
  struct Motion {
    Values warped, damping, stiffening;
  };

  explicit Cone(int channels) : states_(static_cast<size_t>(channels)) {}
  void reset() noexcept {
    for (auto& s : states_) s = {};
  }
  /// In place, at most most_frames; `moved`: how far it moved, a row for each channel.
  void process(const AudioBlock& x, const Motion& m,
               std::span<std::array<float, most_frames>> moved) noexcept {
    size_t c = 0;
    for (; c + 2 <= states_.size(); c += 2) run<2>(x, m, moved, c);
    if (c < states_.size()) run<1>(x, m, moved, c);
  }

 private:
  struct State {
    double s1 = 0, s2 = 0, y = 0;
  };
  // Two channels beside each other, so that neither waits for the other's division.
  template <size_t width>
  void run(const AudioBlock& x, const Motion& m, std::span<std::array<float, most_frames>> moved,
           size_t first) noexcept {
    std::array<State, width> states;
    std::array<float*, width> in, out;
    for (size_t k = 0; k < width; ++k) {
      states[k] = states_[first + k];
      in[k] = x.channel(static_cast<int>(first + k)).data();
      out[k] = moved[first + k].data();
    }
    for (size_t i = 0; i < static_cast<size_t>(x.frames()); ++i) {
      const double g = m.warped[i], damping = m.damping[i], stiffening = m.stiffening[i];
      for (size_t k = 0; k < width; ++k) {
        State& s = states[k];
        const double stiff = 1 + stiffening * s.y * s.y;
        const double high =
            ((static_cast<double>(in[k][i]) - damping * s.s1) - stiff * (g * s.s1 + s.s2)) /
            ((1 + damping * g) + stiff * (g * g));
        const double band = g * high + s.s1;
        s.y = g * band + s.s2;
        s.s1 = g * high + band;
        s.s2 = g * band + s.y;
        in[k][i] = static_cast<float>(high);
        out[k][i] = static_cast<float>(s.y);
      }
    }
    for (size_t k = 0; k < width; ++k) states_[first + k] = states[k];
  }

  std::vector<State> states_;
};

}  // namespace drevan
