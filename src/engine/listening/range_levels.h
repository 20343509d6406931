// SPDX-License-Identifier: GPL-3.0-or-later
// Levels of a part of a clip, before and after its chain: thresholds are read off them.
#pragma once

#include "engine/listening/level_path.h"

namespace drevan {

struct RangeLevels {
  Levels before, after;
};

/// Loudness, peak and noise floor of `range` (frames of the clip, at the plan's rate) as recorded
/// and behind the whole chain, which is run from the clip's start to the range's end. Levels that a
/// part is too short for are empty. Throws as process_clip() does; Error(call) where the chain
/// gives the clip another clock, so that the same moment is not the same frame.
RangeLevels measure_range(const ClipPlan& plan, FrameRange range, const LevelPathOptions& options);

/// Stretches of a waveform that pass full scale; what is nearer than 50 ms is one.
std::vector<FrameRange> overs_of(const PeakPyramid& peaks, double rate);

}  // namespace drevan
