// SPDX-License-Identifier: GPL-3.0-or-later
// Peak, loudness and noise floor of a sound, as a stream.
#pragma once

#include <limits>
#include <memory>
#include <optional>

#include "audio/buffer.h"

namespace drevan {

/// What was measured. Values that a sound does not have (the loudness of silence) are empty.
struct Levels {
  std::optional<double> sample_peak_dbfs{};  ///< largest sample, dB re full scale
  std::optional<double>
      true_peak_dbtp{};  ///< between the samples, ITU-R BS.1770; Detail::peaks, full
  std::optional<double> loudness_lufs{};        ///< integrated, EBU R 128, gated
  std::optional<double> short_term_max_lufs{};  ///< largest 3 s loudness; Detail::full
  std::optional<double> loudness_range_lu{};    ///< EBU Tech 3342; Detail::full
  std::optional<double> noise_floor_dbfs{};     ///< see NoiseFloorMeter
  std::optional<double> rms_dbfs{};             ///< mean square over all samples and channels
  /// Words here are stretches of 0.4 s whose peak stands 20 dB above the noise floor: a fifth of them
  /// peak lower than the first, a tenth higher than the second.
  std::optional<double> quiet_words_dbfs{}, loud_words_dbfs{};
  Samples peak_at = 0;          ///< the frame of the largest sample
  Samples clipped_samples = 0;  ///< samples at or above 32767/32768 of full scale
  Samples frames = 0;
};

/// Loudness, or the RMS level where a sound is too short or too quiet for it.
std::optional<double> loudness_of(const Levels& levels);
/// By how many dB `after` is louder than `before`, by loudness_of(); empty where one of them has none.
std::optional<double> louder_by(const Levels& before, const Levels& after);

enum class Detail {
  quick,  ///< sample peak, loudness, noise floor, RMS: for the level path
  peaks,  ///< the same and the true peak: what targets ask for
  full,   ///< everything
};

/// Hears blocks, then tells. Loudness by LoudnessMeter, true peak by TruePeakDetector.
/// Not for the real-time thread (it keeps growing lists).
class LevelMeter {
 public:
  /// `own_frames`: what comes later only rings on and has no part in the noise floor.
  LevelMeter(StreamFormat format, Detail detail,
             Samples own_frames = std::numeric_limits<Samples>::max());
  ~LevelMeter();
  LevelMeter(LevelMeter&&) noexcept;
  LevelMeter& operator=(LevelMeter&&) noexcept;

  void hear(const AudioBlock& block);
  Levels levels() const;
  /// Where the noise floor was found, in frames.
  FrameRange quietest() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace drevan
