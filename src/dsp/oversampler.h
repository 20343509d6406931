// A stream at eight times its rate and back, for what bends a waveform.
#pragma once

#include <array>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// One channel, eight times oversampled by linear-phase filters: flat within 0.05 dB to 0.415 of the
/// rate (20 kHz at 48 kHz), images and aliases above 0.52 of it (25 kHz) 90 dB down (Kaiser's window; J. F.
/// Kaiser, "Nonrecursive digital filter design using the I0-sinh window function", 1974). Real-time
/// safe but for construction.
class Oversampler {
 public:
  static constexpr int factor = 8;
  static constexpr int most_frames = 128;
  /// The eight samples that follow input i stand at [p][i], p = 0 .. 7.
  using Planes = std::array<std::array<float, most_frames>, factor>;

  Oversampler();
  /// Frames by which up() and down() together are late.
  static constexpr int latency() { return taps; }
  void reset() noexcept;
  /// At most most_frames samples.
  void up(std::span<const float> in, Planes& out) noexcept;
  void down(const Planes& in, std::span<float> out) noexcept;

 private:
  static constexpr int taps = 56;  // per phase
  static constexpr int padded = taps + 4;  // with the last tap, and zeros to a multiple of four
  using Past = std::array<float, most_frames + padded>;
  static void keep(Past& past, size_t n) noexcept;

  std::array<std::array<float, padded>, factor> up_{}, down_{};
  Past in_{};
  std::array<Past, factor> out_{};
};

}  // namespace drevan
