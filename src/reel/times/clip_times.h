// SPDX-License-Identifier: GPL-3.0-or-later
// A clip's moments by each of its clocks: the only functions that go from one clock to another.
#pragma once

#include <vector>

#include "audio/moment.h"
#include "audio/sound.h"
#include "reel/reel.h"

namespace drevan {

/// What a clip's moments hang on. A value.
struct ClipTimes {
  SourceTime begin{};  ///< of the clip, in its source
  ClipSpan length{};   ///< of the clip
  TimeMap clock{};     ///< from the clip's moments to those of what leaves its chains
  double lead_s = 0;   ///< of what leaves, before the clip's own beginning is due
  ReelTime place{};    ///< where its beginning stands
  friend bool operator==(const ClipTimes&, const ClipTimes&) = default;
};

/// Through all of the clip's chains, as the reel tells it: what rings on into a step that turns time
/// round is known only when the sound has been made, see with_clock().
ClipTimes times_of(const Reel& reel, const Clip& clip);
/// The same as far as the sound that enters one of its running steps (see running_steps()): 0 is the
/// clip's own, before the first.
ClipTimes times_before(const Reel& reel, const Clip& clip, size_t running_step);
/// By the clock of a sound that was made.
ClipTimes with_clock(ClipTimes times, TimeMap clock);
/// How long before the clip's own beginning a sound of this clock begins, seconds.
double lead_of(const TimeMap& clock, double clip_s);

// --- from one clock to the next, and back ---

ClipTime in_clip(const ClipTimes& times, SourceTime at);
SourceTime in_source(const ClipTimes& times, ClipTime at);
HeardTime heard(const ClipTimes& times, ClipTime at);
ClipTime in_clip(const ClipTimes& times, HeardTime at);
ReelTime in_reel(const ClipTimes& times, HeardTime at);
HeardTime heard(const ClipTimes& times, ReelTime at);

// --- over both ---

ReelTime in_reel(const ClipTimes& times, ClipTime at);
ClipTime in_clip(const ClipTimes& times, ReelTime at);

// --- ranges: they stay ranges, also where time runs backwards ---

HeardRange heard(const ClipTimes& times, ClipRange range);
ClipRange in_clip(const ClipTimes& times, HeardRange range);
ReelRange in_reel(const ClipTimes& times, HeardRange range);
HeardRange heard(const ClipTimes& times, ReelRange range);
ClipRange in_clip(const ClipTimes& times, ReelRange range);

/// All of the clip, by its own clock; as it is heard; and where that stands. Without what rings on.
ClipRange whole_clip(const ClipTimes& times);
HeardRange whole_heard(const ClipTimes& times);
ReelRange whole_in_reel(const ClipTimes& times);

// --- curves ---

/// The curves of one of a clip's running steps, by the clock of the sound that enters the step.
/// Those of group and reel chains count the reel's time in the reel.
std::vector<Track> tracks_entering(const RunningStep& step, const ClipTimes& before);
/// Every curve of a chain, as it belongs to `range` of the clip whose own chain it is, made a clip of
/// its own; lengths that are set in seconds become those of the range.
void cut_curves(const Reel& reel, const Clip& clip, Chain& own_chain, ClipRange range);

}  // namespace drevan
