// SPDX-License-Identifier: GPL-3.0-or-later
// What moves a setting to and fro: an oscillator, or the sound's own loudness. Shared by the steps
// of motion.
#pragma once

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/envelope.h"
#include "dsp/lfo.h"
#include "steps/common_parameters.h"

namespace drevan {

/// For up to two sides; further channels go with the left one. Real-time safe.
class Modulator {
 public:
  void prepare(double rate, double hz, int shape, int moved_by, double phase_deg) {
    lfo_.prepare(rate, hz, motion_grid);
    const double grid_rate = rate / motion_grid;
    loudness_.set(30, rate);
    phase_.prepare(grid_rate, 20, phase_deg / 360);
    for (size_t i = 0; i < weights_.size(); ++i)
      weights_[i].prepare(grid_rate, 20, static_cast<int>(i) == shape ? 1 : 0);
    by_voice_.prepare(grid_rate, 20, moved_by == moved_by_voice ? 1 : 0);
  }
  void set_rate(double hz) noexcept { lfo_.set(hz); }
  void set_shape(int shape) noexcept {
    for (size_t i = 0; i < weights_.size(); ++i) weights_[i].set(static_cast<int>(i) == shape);
  }
  void set_moved_by(int by) noexcept { by_voice_.set(by == moved_by_voice); }
  void set_phase(double deg) noexcept { phase_.set(deg / 360); }
  void place(Samples frame) noexcept {
    lfo_.place(frame);
    for (auto& side : sides_) side.place(frame);
  }
  void reset() noexcept {
    loudness_.reset();
    for (auto& w : weights_) w.jump(w.goal());
    phase_.jump(phase_.goal());
    by_voice_.jump(by_voice_.goal());
    place(0);
  }

  /// `power`: of the sound at this frame. Left and right, -1 to 1.
  std::array<double, 2> next(double power) noexcept {
    const double heard = loudness_.process_power(power);
    if (sides_[0].wants()) aim(heard);
    return {sides_[0].next(), sides_[1].next()};
  }
  /// From -50 dBFS, as good as silence, to -14, a loud word.
  static double of_loudness(double db) noexcept {
    const double t = std::min(1.0, std::max(0.0, (db + 50) / 36));
    return 2 * t - 1;
  }

 private:
  void aim(double heard) noexcept {
    lfo_.next();
    const double cycles = lfo_.cycles(), behind = phase_.next();
    std::array<double, 2> to{};
    for (size_t i = 0; i < weights_.size(); ++i) {
      const double weight = weights_[i].next();
      if (weight == 0) continue;
      const auto shape = static_cast<LfoShape>(i);
      to[0] += weight * lfo_value(shape, cycles);
      to[1] += weight * lfo_value(shape, cycles - behind);
    }
    const double share = by_voice_.next();
    const double voice = share > 0 ? of_loudness(10 * std::log10(heard + 1e-12)) : 0;
    for (size_t side = 0; side < 2; ++side) sides_[side].aim(to[side] + share * (voice - to[side]));
  }

  Lfo lfo_;
  std::array<OnGrid, 2> sides_;
  MeanSquare loudness_;
  std::array<Smoothed, 6> weights_;
  Smoothed phase_, by_voice_;
};

/// Mean power of a frame over all channels.
inline double frame_power(const AudioBlock& block, size_t i) noexcept {
  double sum = 0;
  for (int c = 0; c < block.channels(); ++c) {
    const double x = static_cast<double>(block.channel(c)[i]);
    sum += x * x;
  }
  return sum / block.channels();
}

}  // namespace drevan
