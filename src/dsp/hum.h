// SPDX-License-Identifier: GPL-3.0-or-later
// Mains hum, found in a recording. How it is followed: dsp/hum_tracker.h.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/biquad.h"
#include "dsp/fft.h"

namespace drevan {

/// Harmonics that are looked for: up to 2 kHz at 50 Hz.
inline constexpr int most_hum_harmonics = 40;

/// What hums.
struct Hum {
  double hz = 0;  ///< the fundamental
  /// How far harmonic k + 1 stands above its surroundings, dB; 0: it is not there.
  std::array<float, most_hum_harmonics> above_db{};
};

/// Finds the fundamental and which of its harmonics are there. Every 50 ms of sound are weighed by
/// their power to -1.5: so speech does not drown the hum that is heard in its pauses. Spectra of
/// some 5 s are then searched for the frequency whose multiples stand out most. Not for the real-time thread.
class HumFinder {
 public:
  /// Only fundamentals between these, Hz.
  HumFinder(StreamFormat format, double least_hz, double most_hz);
  void hear(const AudioBlock& block);
  /// Empty when nothing hums.
  std::optional<Hum> find() const;

 private:
  static constexpr int size = 65536;         // of the transform; half of it is sound
  static constexpr double apart_hz = 0.005;  // candidates
  void finish_frame();
  void add_window(std::vector<float> sound);
  double level_at(double hz) const;

  double least_hz_;
  int step_;     // samples of the stream for one of the search
  double rate_;  // of the search
  std::vector<Biquad> low_pass_;
  int phase_ = 0;
  std::vector<float> frame_, waiting_, window_;
  std::array<double, 2> weights_{};  // of the frame before the waiting one, and its own
  size_t frame_size_;
  RealFft fft_{size};
  std::vector<float> level_db_;  // of the newest window
  using Levels = std::array<float, most_hum_harmonics>;
  std::vector<Levels> above_;  // per candidate, summed over windows
  int windows_ = 0;
};

}  // namespace drevan
