// SPDX-License-Identifier: GPL-3.0-or-later
// Any sound at another pitch, its length kept.
#pragma once

#include <memory>
#include <vector>

#include "audio/buffer.h"

namespace RubberBand {
class RubberBandStretcher;
}

namespace drevan {

/// By Rubber Band's finer engine as a stream. The engine's delay depends on the shift; here it is
/// always that of the largest shift downwards. process(), set() and reset() are as real-time safe
/// as the engine's; the same bits for any block size.
class SoundShifter {
 public:
  SoundShifter(double rate, int channels, double pitch, double formants);
  ~SoundShifter();
  void reset() noexcept;
  Samples latency() const noexcept { return latency_; }
  /// Frequency ratios of pitch and formants; pitch from 1/4.2 to 4.2. `formants` is what becomes of
  /// the sound's own formants: 1 keeps them.
  void set(double pitch, double formants) noexcept;
  /// In place, latency() frames late.
  void process(const AudioBlock& block) noexcept;

 private:
  static constexpr int chunk = 256;
  void turn() noexcept;
  void feed() noexcept;
  /// How much later the engine's output is than its input, in frames, at this pitch.
  Samples engine_late(double pitch) const noexcept;
  void leave(size_t at, const AudioBlock& block, size_t i) noexcept;

  double rate_;
  int channels_;
  double pitch_, formants_;
  bool turned_ = false;
  std::unique_ptr<RubberBand::RubberBandStretcher> engine_;
  Samples pad_ = 0, latency_ = 0;
  std::vector<std::vector<float>> entering_;  // the chunk being filled
  std::vector<std::vector<float>> made_;      // rings of what the engine gave
  size_t ring_mask_ = 0;
  Samples frame_ = 0, given_ = 0;
  Samples late_ = 0, late_before_ = 0;  // where in it is read, and was before the last turn
  double fade_ = 1;
};

}  // namespace drevan
