// SPDX-License-Identifier: GPL-3.0-or-later
// The level of the room when nobody speaks.
#pragma once

#include <array>
#include <optional>

#include "audio/buffer.h"

namespace drevan {

/// Noise floor as a stream. Exactly: the sound is cut into blocks of 50 ms; a block's power is the
/// mean square over its samples and channels. A block is digital silence when its power is below
/// -120 dBFS. The floor is the smallest mean power of ten blocks in a row (half a second, stepped
/// by 50 ms) of which none is digital silence, in dB re a mean square of 1 (a full-scale square
/// wave reads 0, a sine -3.01). A sound shorter than half a second is taken as one block. Where
/// there is no such half second, there is no floor.
class NoiseFloorMeter {
 public:
  explicit NoiseFloorMeter(StreamFormat format);

  /// Real-time safe.
  void hear(const AudioBlock& block) noexcept;

  /// dBFS; empty when all was digital silence (or nothing was heard).
  std::optional<double> floor_dbfs() const;

  /// Where that half second lies, in frames; empty range without a floor.
  FrameRange where() const;

 private:
  void finish_block() noexcept;

  int block_frames_;
  int channels_;
  double sum_ = 0;  // of squares in the block being filled
  int filled_ = 0;  // frames in it
  Samples heard_ = 0;
  std::array<double, 10> powers_{};
  long blocks_ = 0;   // blocks since the last digital silence
  double best_ = -1;  // smallest mean power, below 0: none yet
  Samples best_end_ = 0;
};

}  // namespace drevan
