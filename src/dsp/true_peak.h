// SPDX-License-Identifier: GPL-3.0-or-later
// The peak between the samples, for a stream.
#pragma once

#include <array>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Interpolates four times, as ITU-R BS.1770-4 annex 2 does at 48 kHz, and then reads the top of a parabola through
/// the three values about each maximum: within 0.1 dB of a steady tone's peak up to 0.45 of the rate, at any
/// rate. The filter is a Kaiser-windowed sinc of 28 taps a phase (J. F. Kaiser 1974: 48 dB, from 0.45 to 0.55
/// of the rate). Real-time safe but for construction.
class TruePeakDetector {
 public:
  explicit TruePeakDetector(int channels);
  /// Frames by which the answer is late.
  static constexpr int delay() { return taps / 2; }
  /// No value between samples is larger than this many times the largest sample around it.
  static double overshoot();
  void reset() noexcept;
  /// Largest magnitude, over all channels, of the samples and what lies between them around the frame delay()
  /// ago. Values below `least` need only be below it.
  void process(const AudioBlock& block, std::span<float> peaks, float least = 0) noexcept;

 private:
  static constexpr int factor = 4;
  static constexpr int taps = 28;  // per phase
  static constexpr int chunk = 128;
  struct Channel {
    std::array<float, chunk + taps> past{};  // the block follows what came before it
    std::array<float, 2> last{};  // the newest two interpolated values of the block before
  };
  void interpolate(Channel& channel, size_t n) noexcept;

  std::array<std::array<float, chunk>, factor> fine_{};  // by phase
  std::vector<Channel> channels_;
};

}  // namespace drevan
