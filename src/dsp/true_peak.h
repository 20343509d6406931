// The peak between the samples, for a stream.
#pragma once

#include <array>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Interpolates as ITU-R BS.1770-4 annex 2 asks: four times below 96 kHz, twice below 192 kHz, by a
/// Hann-windowed sinc of 49 taps. Real-time safe but for construction.
class TruePeakDetector {
 public:
  TruePeakDetector(double rate, int channels);
  /// Frames by which the answer is late.
  static constexpr int delay() { return taps / 2; }
  void reset() noexcept;
  /// Largest magnitude, over all channels, of the samples and what lies between them around the
  /// frame delay() ago.
  void process(const AudioBlock& block, std::span<float> peaks) noexcept;

 private:
  static constexpr int taps = 13;    // per phase
  static constexpr int padded = 16;
  static constexpr int chunk = 128;
  int factor_;
  std::array<std::array<float, padded>, 4> phases_{};
  using Past = std::array<float, chunk + padded>;
  std::vector<Past> past_;           // per channel; the block follows what came before it
};

}  // namespace drevan
