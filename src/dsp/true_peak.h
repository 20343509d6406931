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
  static constexpr int taps = 13;  // per phase
  int factor_;
  std::array<std::array<float, taps>, 4> phases_{};
  struct Lane {
    std::array<float, 2 * taps> ring{};
    size_t at = 0;
  };
  std::vector<Lane> lanes_;
};

}  // namespace drevan
