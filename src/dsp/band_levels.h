// What a vocoder does with the bands of a BandBank. All over some frames, each a lane, and the first
// `n` bands, a multiple of BandBank::group; real-time safe.
#pragma once

#include <span>

#include "dsp/band_bank.h"

namespace drevan {

using Lanes = std::span<BandBank::Lane>;

/// Levels of bands, each following up in one time and down in another: shares of the way a frame.
struct BandLevels {
  BandBank::Lane now{};
  float up = 0, down = 0;
  /// In place: what is followed, and what comes of it.
  void follow(Lanes level, int n) noexcept;
};

/// Brings each band to one level.
void even_out(Lanes x, Lanes level, int n) noexcept;
/// Goes `share` of the way to another, a share for each frame.
void blend(Lanes x, Lanes other, std::span<const float> share, int n) noexcept;
/// The sums of a carrier's bands at a voice's levels; `even`: how much of the carrier's own levels is
/// taken from it, 0 to 1, for each frame.
void speak(Lanes carrier, Lanes own, Lanes voice, std::span<const float> even, std::span<float> out,
           int n) noexcept;

}  // namespace drevan
