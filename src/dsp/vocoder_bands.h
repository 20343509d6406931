// SPDX-License-Identifier: GPL-3.0-or-later
// What a vocoder does with the bands of a voice and of its carrier.
#pragma once

#include <array>
#include <span>

#include "dsp/band_bank.h"

namespace drevan {

/// One channel: the carrier's bands at the levels of the voice's. Real-time safe.
class VocoderBands {
 public:
  static constexpr int most_frames = 32;
  using Lane = BandBank::Lane;

  void set_voice(const BandPlan& plan, double rate) noexcept { voice_.set(plan, 1, rate); }
  /// The carrier's bands lie `ratio` times as high.
  void set_carrier(const BandPlan& plan, double ratio, double rate) noexcept;
  /// How levels follow, in shares of the way a frame: the voice's up and down, and the carrier's.
  void set_speed(float up, float down, float own) noexcept;
  void reset() noexcept;

  struct Input {
    /// For each band what it hears in these frames; most_frames can be read at each.
    std::span<const float* const> voice;
    std::span<const float> carrier;
    /// How much of the carrier's own levels is taken from its bands, 0 to 1.
    std::span<const float> even;
    /// How much of the carrier is noise evened twice: evened, cut to its band and evened again, so
    /// that it hardly swings (A. Kohlrausch and others, "Detection of tones in low-noise noise",
    /// Acta Acustica 83, 1997).
    std::span<const float> low_noise;
  };
  /// As many frames as `out` has, most_frames at most.
  void speak(const Input& input, std::span<float> out) noexcept;
  /// Levels of the voice's and of the carrier's bands after the last frame.
  const Lane& heard() const noexcept { return heard_; }
  const Lane& own() const noexcept { return own_; }

 private:
  BandBank voice_, carrier_, evened_;
  Lane heard_{}, own_{};
  float up_ = 0, down_ = 0, own_speed_ = 0;
};

}  // namespace drevan
