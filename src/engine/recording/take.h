// SPDX-License-Identifier: GPL-3.0-or-later
// A long take: heard once, then cut.
#pragma once

#include <span>
#include <vector>

#include "engine/planning/clip_sound.h"
#include "measure/pauses.h"
#include "reel/edits/cuts.h"

namespace drevan {

/// What was heard of a take; from then on other rules cost milliseconds. A value.
struct HeardTake {
  OutOfRoom out_of_room;
  int frame = 480;  ///< samples of one of its frames
  SoundShape shape;
  std::vector<edits::Piece> at_pauses(const PauseRules& rules) const;
};

/// Reads all of it. Throws Error(input), Cancelled.
HeardTake hear_take(const ClipSound& sound, const CancelToken& cancel,
                    const Progress& progress = {});

/// Moments of a clip, each moved to where the sound (all channels together) crosses zero within
/// 5 ms; those at its ends and where nothing crosses stay. Throws Error(input).
std::vector<double> at_zero_crossings(const ClipSound& sound, std::span<const double> at_s);
/// The cue points of a WAV or RF64 file that lie within a clip: their names, and where they are in
/// it; the ends are empty. Throws Error(input).
std::vector<edits::Piece> cue_points(const ClipSound& sound);

}  // namespace drevan
