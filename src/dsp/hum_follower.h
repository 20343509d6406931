// SPDX-License-Identifier: GPL-3.0-or-later
// The common phase of a hum's harmonics, and each one's size, from what was heard of them. Private to HumTracker.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>
#include <utility>
#include <vector>

#include "dsp/hum.h"

namespace drevan {

/// The steps of all channels, followed: the phase smoothed after Rauch, Tung and Striebel, sizes by weighted means
/// over some seconds, both in turn. Fill `lines` and `there`, run(), then read radians() and each line's `size`.
class HumFollower {
 public:
  using Complex = std::complex<double>;
  HumFollower(size_t steps, double step_s) : steps_(steps), step_s_(step_s), radians_(steps) {}

  static constexpr auto all = static_cast<size_t>(most_hum_harmonics);

  // One channel's steps: size and phase of each harmonic, and the power beside it.
  struct Line {
    std::vector<Complex> z;     // steps x all
    std::vector<float> weight;  // the inverse of the power beside; 0 where nothing is heard
    std::vector<Complex> size;  // steps x all, found
  };
  std::vector<Line> lines;
  std::array<bool, all> there{};  ///< harmonics that hum

  void run() {
    constexpr double spans_s[] = {2, 2, 4, 4, 8, 8, 8, 8, 8, 8};
    for (const double span : spans_s) {
      for (auto& line : lines) find_sizes(line, span);
      give_phase_what_turns_in_common();
      smooth_phase();
    }
    for (auto& line : lines) find_sizes(line, spans_s[std::size(spans_s) - 1]);
  }
  const std::vector<double>& radians() const { return radians_; }

 private:
  static constexpr double two_pi = 2 * std::numbers::pi;

  // Weighted means of what is left when the common phase is taken off, over `span` seconds to either side.
  void find_sizes(Line& line, double span) const {
    const double keep = std::exp(-step_s_ / span);
    std::vector<Complex> turned_back(steps_);
    std::vector<double> weight(steps_);
    line.size.assign(steps_ * all, {});
    for (size_t h = 0; h < all; ++h) {
      if (!there[h]) continue;
      for (size_t n = 0; n < steps_; ++n) {
        weight[n] = static_cast<double>(line.weight[n * all + h]);
        turned_back[n] = weight[n] * line.z[n * all + h] *
                         std::polar(1.0, -static_cast<double>(h + 1) * radians_[n]);
      }
      Complex sum = 0;
      double weights = 0;
      std::vector<Complex> behind(steps_);
      std::vector<double> behind_weight(steps_);
      for (size_t n = steps_; n-- > 0;) {
        behind[n] = keep * sum;
        behind_weight[n] = keep * weights;
        sum = keep * sum + turned_back[n];
        weights = keep * weights + weight[n];
      }
      sum = 0;
      weights = 0;
      for (size_t n = 0; n < steps_; ++n) {
        sum = keep * sum + turned_back[n];
        weights = keep * weights + weight[n];
        const double of = weights + behind_weight[n];
        line.size[n * all + h] = of > 0 ? (sum + behind[n]) / of : Complex{};
      }
    }
  }

  // Sizes that turn together mean that the phase does.
  void give_phase_what_turns_in_common() {
    std::vector<double> turn(steps_);
    for (size_t n = 1; n < steps_; ++n) {
      double num = 0, den = 0;
      for (const auto& line : lines)
        for (size_t h = 0; h < all; ++h) {
          if (!there[h]) continue;
          const Complex a = line.size[(n - 1) * all + h], b = line.size[n * all + h];
          const double k = static_cast<double>(h + 1),
                       w = static_cast<double>(line.weight[n * all + h]);
          num += std::imag(std::conj(a) * b) * k * w;
          den += std::abs(a) * std::abs(b) * k * k * w;
        }
      turn[n] = turn[n - 1] + (den > 0 ? num / den : 0);
    }
    for (size_t n = 0; n < steps_; ++n) {
      radians_[n] += turn[n];
      for (auto& line : lines)
        for (size_t h = 0; h < all; ++h)
          if (there[h])
            line.size[n * all + h] *= std::polar(1.0, -static_cast<double>(h + 1) * turn[n]);
    }
  }

  // What a step says of the phase: how far off it is, and how surely (the inverse of its variance).
  std::pair<double, double> measured(size_t n) const {
    double off = 0, sure = 0;
    for (const auto& line : lines)
      for (size_t h = 0; h < all; ++h) {
        if (!there[h]) continue;
        const double k = static_cast<double>(h + 1),
                     w = static_cast<double>(line.weight[n * all + h]);
        const Complex size = line.size[n * all + h];
        off +=
            std::imag(std::conj(size) * line.z[n * all + h] * std::polar(1.0, -k * radians_[n])) *
            k * w;
        sure += std::norm(size) * k * k * w;
      }
    return {sure > 0 ? std::clamp(off / sure, -0.5, 0.5) : 0, 2 * sure};
  }

  // Rauch, Tung and Striebel: state (phase, its speed); the speed wanders.
  void smooth_phase() {
    struct State {
      double x = 0, v = 0, xx = 0, xv = 0, vv = 0;
    };
    const double dt = step_s_, q = std::pow(two_pi * 0.015, 2);
    std::vector<State> ahead(steps_), filtered(steps_);
    State s{radians_[0], 0, std::numbers::pi * std::numbers::pi, 0, std::pow(two_pi * 0.1, 2)};
    for (size_t n = 0; n < steps_; ++n) {
      if (n > 0)
        s = {s.x + dt * s.v, s.v, s.xx + dt * (2 * s.xv + dt * s.vv) + q * dt * dt * dt / 3,
             s.xv + dt * s.vv + q * dt * dt / 2, s.vv + q * dt};
      ahead[n] = s;
      const auto [off, sure] = measured(n);
      if (sure > 0) {
        const double of = s.xx + 1 / sure, kx = s.xx / of, kv = s.xv / of,
                     gap = radians_[n] + off - s.x;
        s = {s.x + kx * gap, s.v + kv * gap, s.xx * (1 - kx), s.xv * (1 - kx), s.vv - kv * s.xv};
      }
      filtered[n] = s;
    }
    for (size_t n = steps_ - 1; n-- > 0;) {
      const State &f = filtered[n], &a = ahead[n + 1];
      // The gain: covariance of now with the next, times the inverse of the next's.
      const double cxx = f.xx + dt * f.xv, cxv = f.xv, cvx = f.xv + dt * f.vv, cvv = f.vv;
      const double det = a.xx * a.vv - a.xv * a.xv;
      const double dx = filtered[n + 1].x - a.x, dv = filtered[n + 1].v - a.v;
      const double ux = (a.vv * dx - a.xv * dv) / det, uv = (a.xx * dv - a.xv * dx) / det;
      filtered[n].x += cxx * ux + cxv * uv;
      filtered[n].v += cvx * ux + cvv * uv;
    }
    for (size_t n = 0; n < steps_; ++n) radians_[n] = filtered[n].x;
  }

  size_t steps_;
  double step_s_;
  std::vector<double> radians_;  // of the fundamental
};

}  // namespace drevan
