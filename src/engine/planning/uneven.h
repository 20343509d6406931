// SPDX-License-Identifier: GPL-3.0-or-later
// Where clips of a group differ from the others.
#pragma once

#include <array>
#include <span>
#include <string>
#include <vector>

#include "engine/rendering/process.h"
#include "measure/levels.h"
#include "reel/reel.h"

namespace drevan {

/// Third-octave bands from 100 Hz to 10 kHz (IEC 61260-1: base ten, 1000 Hz among them).
inline constexpr size_t tone_bands = 21;
double tone_band_hz(size_t band);

/// What leaves a clip's chains, as far as clips are compared by it.
struct ClipTraits {
  ClipId clip = 0;
  Levels levels;                             ///< Detail::quick
  std::array<double, tone_bands> tone_db{};  ///< mean power per band, dB; below -150: nothing there
};

/// Runs the clip through its chains. Throws as process_clip().
ClipTraits measure_traits(const Reel& reel, const Clip& clip, FindingStore& store,
                          const CancelToken& cancel);

enum class Unevenness { level, noise_floor, tone, chain };

struct Uneven {
  ClipId clip = 0;
  Unevenness what = Unevenness::level;
  double by = 0;     ///< dB against the group's middle, signed; chain: 0
  std::string told;  ///< "3.2 dB louder than its group", a phrase
};

/// Clips that stand out of their group's middle (median): by more than 1.5 LU in level, 6 dB in noise
/// floor, 6 dB in a third octave of the tone once levels are set aside (common practice, no source), or
/// by a chain of their own (steps that most of the group have not, or sitting out). Groups in order,
/// clips in order; a group of one has nothing to differ from.
std::vector<Uneven> uneven_clips(const Reel& reel, std::span<const ClipTraits> traits);

}  // namespace drevan
