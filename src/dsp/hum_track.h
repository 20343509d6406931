// SPDX-License-Identifier: GPL-3.0-or-later
// Mains hum over the length of a recording: one phase for all harmonics, and each one's size; and made anew.
#pragma once

#include <array>
#include <complex>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/hum.h"

namespace drevan {

/// What hums over the length of a sound, its frame 0 at time 0. The hum in channel c at time t is the sum over
/// harmonics k (from 1) of the real part of size(c, k, t) exp(2 pi i k (hz t + cycles(t))).
struct HumTrack {
  Hum hum;              ///< hz is the reference of `cycles`
  double rate = 48000;  ///< Hz
  Samples frames = 0;   ///< of the sound
  int channels = 1;
  double step_s = 0.06;  ///< between two values of `cycles`; the first belongs to half of it
  std::vector<float>
      cycles;         ///< of the fundamental, beyond hz t; in straight lines from one to the next
  double knot_s = 2;  ///< between two sizes; the first belongs to time 0
  std::vector<std::complex<float>>
      sizes;  ///< channels x knots x most_hum_harmonics; zero where none hums
  std::vector<FrameRange> silences;  ///< digital silence of 10 ms and more: there is no hum in it

  size_t knots() const {
    return sizes.size() / (static_cast<size_t>(channels) * most_hum_harmonics);
  }
};

/// As floats, for a finding, and back; empty when they are no track.
std::vector<float> to_floats(const HumTrack& track);
std::optional<HumTrack> hum_track_from(std::span<const float> floats);
/// The same into one that is there, without taking memory where it has room; false, and no cycles, when
/// they are none.
bool read_hum_track(std::span<const float> floats, HumTrack& track);

/// Makes the hum of a track anew, from any frame on. The same bits for any block size. Real-time safe but for
/// construction and set_track() with a longer track.
class HumMaker {
 public:
  explicit HumMaker(int channels) : channels_(static_cast<size_t>(channels)) {}
  void set_track(const HumTrack& track);
  /// The next frame is this one of the sound.
  void seek(Samples frame) noexcept { at_ = frame; }
  /// The lowest `harmonics` only, 0 to most_hum_harmonics.
  void set_harmonics(int harmonics) noexcept;
  /// The hum of the next frames, one span a channel, all of one length.
  void next(std::span<const std::span<float>> hum) noexcept;

 private:
  static constexpr int grid = 64;
  void make(Samples chunk) noexcept;
  double cycles_at(double seconds) const noexcept;
  bool silent(Samples frame) const noexcept;

  HumTrack track_;
  std::vector<std::array<float, grid>> channels_;  // the newest chunk of each
  static constexpr Samples none = std::numeric_limits<Samples>::min();
  Samples made_ = none, at_ = 0;  // its number; the next frame
  int harmonics_ = most_hum_harmonics;
};

}  // namespace drevan
