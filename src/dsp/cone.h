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
/// 2006; only the spring of it), by the trapezoidal rule, the spring as it was a sample ago. What is
/// heard is its acceleration y'' / w^2. All channels of a stream. Real-time safe.
class Cone {
 public:
  static constexpr int most_frames = 128;
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
    for (; c + 2 <= states_.size(); c += 2) run<Pair>(x, m, moved, c);
    if (c < states_.size()) run<double>(x, m, moved, c);
  }

 private:
  struct State {
    double s1 = 0, s2 = 0, y = 0;
  };
  // Two channels in one register.
  typedef double Pair __attribute__((vector_size(16)));
  static double& lane(double& v, size_t) noexcept { return v; }
  static auto lane(Pair& v, size_t k) noexcept -> decltype(v[k]) { return v[k]; }

  template <class Number>
  void run(const AudioBlock& x, const Motion& m,
           std::span<std::array<float, most_frames>> moved, size_t first) noexcept {
    constexpr size_t width = sizeof(Number) / sizeof(double);
    std::array<float*, width> in, out;
    Number s1{}, s2{}, y{}, u{};
    for (size_t k = 0; k < width; ++k) {
      const State& s = states_[first + k];
      lane(s1, k) = s.s1;
      lane(s2, k) = s.s2;
      lane(y, k) = s.y;
      in[k] = x.channel(static_cast<int>(first + k)).data();
      out[k] = moved[first + k].data();
    }
    for (size_t i = 0; i < static_cast<size_t>(x.frames()); ++i) {
      const double g = m.warped[i], damping = m.damping[i], stiffening = m.stiffening[i];
      for (size_t k = 0; k < width; ++k) lane(u, k) = static_cast<double>(in[k][i]);
      const Number stiff = 1 + stiffening * y * y;
      const Number high =
          (u - (damping + stiff * g) * s1 - stiff * s2) / (1 + damping * g + stiff * (g * g));
      const Number band = g * high + s1;
      y = g * band + s2;
      s1 = g * high + band;
      s2 = g * band + y;
      for (size_t k = 0; k < width; ++k) {
        Number made = high, way = y;
        in[k][i] = static_cast<float>(lane(made, k));
        out[k][i] = static_cast<float>(lane(way, k));
      }
    }
    for (size_t k = 0; k < width; ++k) states_[first + k] = {lane(s1, k), lane(s2, k), lane(y, k)};
  }

  std::vector<State> states_;
};

}  // namespace drevan
