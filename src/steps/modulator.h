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
    lfo_.prepare(rate, hz);
    loudness_.set(30, rate);
    phase_.prepare(rate, 20, phase_deg / 360);
    for (size_t i = 0; i < weights_.size(); ++i)
      weights_[i].prepare(rate, 20, static_cast<int>(i) == shape ? 1 : 0);
    by_voice_.prepare(rate, 20, moved_by == moved_by_voice ? 1 : 0);
  }
  void set_rate(double hz) noexcept { lfo_.set(hz); }
  void set_shape(int shape) noexcept {
    for (size_t i = 0; i < weights_.size(); ++i) weights_[i].set(static_cast<int>(i) == shape);
  }
  void set_moved_by(int by) noexcept { by_voice_.set(by == moved_by_voice); }
  void set_phase(double deg) noexcept { phase_.set(deg / 360); }
  void place(Samples frame) noexcept { lfo_.place(frame); }
  void reset() noexcept {
    lfo_.place(0);
    loudness_.reset();
    for (auto& w : weights_) w.jump(w.goal());
    phase_.jump(phase_.goal());
    by_voice_.jump(by_voice_.goal());
  }

  /// `power`: of the sound at this frame. Left and right, -1 to 1.
  std::array<double, 2> next(double power) noexcept {
    const double cycles = lfo_.next(), behind = phase_.next();
    std::array<double, 2> out{};
    for (size_t i = 0; i < weights_.size(); ++i) {
      const double weight = weights_[i].next();
      if (weight == 0) continue;
      const auto shape = static_cast<LfoShape>(i);
      out[0] += weight * lfo_value(shape, cycles);
      out[1] += weight * lfo_value(shape, cycles - behind);
    }
    const double heard = loudness_.process_power(power);
    if (const double share = by_voice_.next(); share > 0) {
      const double v = of_loudness(10 * std::log10(heard + 1e-12));
      for (double& x : out) x += share * (v - x);
    }
    return out;
  }
  /// From -50 dBFS, as good as silence, to -14, a loud word.
  static double of_loudness(double db) noexcept {
    const double t = std::min(1.0, std::max(0.0, (db + 50) / 36));
    return 2 * t - 1;
  }

 private:
  Lfo lfo_;
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
