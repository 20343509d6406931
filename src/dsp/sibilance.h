// SPDX-License-Identifier: GPL-3.0-or-later
// Hearing s-sounds.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/envelope.h"
#include "dsp/filter_bank.h"

namespace drevan {

/// Levels, every 5 ms, of what is above 3 kHz and of the voice's own range, 200 Hz to 3 kHz, dB re a
/// mean square of 1, over all channels. Real-time safe but for construction.
class SibilanceEar {
 public:
  explicit SibilanceEar(StreamFormat format);
  struct Tick {
    double high_db, voice_db;
  };
  /// Calls `tick(offset, Tick)` after the sample at `offset` of the block, every tick_frames().
  template <class OnTick>
  void hear(const AudioBlock& block, OnTick&& tick) noexcept {
    for (int done = 0; done < block.frames();) {
      const int n = std::min({chunk, block.frames() - done, tick_frames_ - filled_});
      add(block.part(done, n));
      done += n;
      filled_ += n;
      if (filled_ < tick_frames_) continue;
      filled_ = 0;
      tick(done - 1, now());
    }
  }
  int tick_frames() const { return tick_frames_; }
  void reset() noexcept;

 private:
  static constexpr int chunk = 128;
  void add(const AudioBlock& block) noexcept;
  Tick now() const noexcept;

  int tick_frames_;
  FilterBank high_band_, voice_band_;
  AudioBuffer high_part_, voice_part_;
  MeanSquare high_, voice_;
  int filled_ = 0;
};

/// Tells from ticks whether an s-sound (s, z, sh, zh, ch, j) is heard, delay() ticks late: the sound
/// above 3 kHz must come near the voice's own level, and near what is below 3 kHz at that moment, for
/// 35 ms at least; a shorter burst is a t or a k. Needs no setting when a clip is louder. The values
/// were found on flite's voices and are checked against its labels in tests/steps/de_ess_test.cpp.
class SibilanceFinder {
 public:
  static constexpr int delay() { return 9; }
  /// `line_db`: how far below the voice's level the high sound begins to count, usually -22.
  bool hear(const SibilanceEar::Tick& tick, double voice_level_db, double line_db) noexcept;
  void reset() noexcept { on_ = 0; }

 private:
  std::uint64_t on_ = 0;  // one bit per tick, the newest lowest
};

/// A clip's voice level, for SibilanceFinder: mean power of the ticks within 20 dB of the loud ones
/// (95th percentile).
class VoiceLevel {
 public:
  void hear(double voice_db) noexcept;
  /// Empty when nothing above -100 dB was heard.
  std::optional<double> level_db() const;

 private:
  static constexpr double lowest = -100, step = 0.25;
  std::array<long, 500> counts_{};
  long heard_ = 0;
};

}  // namespace drevan
