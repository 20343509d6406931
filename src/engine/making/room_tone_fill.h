// SPDX-License-Identifier: GPL-3.0-or-later
// Gaps between clips filled with their room's tone, so that noise never jumps from cut to cut.
#pragma once

#include <filesystem>
#include <vector>

#include "engine/planning/clip_sound.h"

namespace drevan {

/// Nothing of a group sounds between two of its clips, which follow each other in time.
struct ToneGap {
  ReelRange range{};
  ClipId before = 0, after = 0;  ///< the clips' ids
  friend bool operator==(const ToneGap&, const ToneGap&) = default;
};
/// Those of at least `least_gap_s`. Clips are as long as they are heard, without what rings on.
std::vector<ToneGap> tone_gaps(const Reel& reel, GroupId group);
inline constexpr double least_gap_s = 0.02;
/// How far the tone reaches into its neighbours, crossfaded.
inline constexpr double tone_fade_s = 0.05;

/// Room tone of any length: pieces of `tone` (channels x frames) from everywhere in it, forwards
/// and backwards, each of another length, crossfaded by power over up to 0.15 s. The same `seed`
/// gives the same bits.
AudioBuffer longer_room_tone(const AudioBuffer& tone, double rate, Samples frames, unsigned seed);

/// So many frames of a group's room tone, see tone_lender(). Throws Error(call): none is marked, or it
/// is digital silence; Error(input).
AudioBuffer room_tone_of(const Reel& reel, GroupId group, Samples frames);

/// A gap's tone, written.
struct FilledGap {
  ToneGap gap;
  std::filesystem::path file;
};
/// Fills a group's gaps from the room tone that its clips share, else the first one that is marked,
/// at the mean of the noise floors of its neighbours, into 32-bit float files in `folder`, which is
/// made. Throws Error(call): no room tone is marked; Error(input), Error(output), Cancelled.
std::vector<FilledGap> fill_gaps(const Reel& reel, GroupId group,
                                 const std::filesystem::path& folder, const CancelToken& cancel,
                                 const Progress& progress = {});
/// The clip whose room tone that is; nullptr: none is marked.
const Clip* tone_lender(const Reel& reel, GroupId group);

}  // namespace drevan
