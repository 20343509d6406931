// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of many clips at once. See reel/edits/edits.h.
#pragma once

#include <span>
#include <string>

#include "reel/edits/edits.h"

namespace drevan::edits {

/// The steps of a recipe go into the own chains of `clips`, each at `index` (below 0: behind all).
/// Curves count from each clip's beginning.
Edit paste_steps(const Reel& reel, std::span<const ClipId> clips, const Recipe& recipe, int index);
/// Into the group's or the reel's chain that the clip flows through.
Edit paste_steps_into(const Reel& reel, ClipId clip, StepPlace at, const Recipe& recipe);
/// Gives one step, in a chain of `clip`, the settings and curves of the recipe's only step. Throws
/// Error(call) when that is another kind of step, or there are more.
Edit paste_settings(const Reel& reel, ClipId clip, StepId step, const Recipe& recipe);
/// Their own chains are empty.
Edit take_steps_off(const Reel& reel, std::span<const ClipId> clips);
/// Moves clips up or down: turns the last gain step of each one's own chain that stands still, or
/// adds one, at the end but before a limiter. Nudges that follow each other are one edit.
Edit nudge_gain(const Reel& reel, std::span<const ClipId> clips, double by_db);
/// Sets one setting of the clips' own steps of that type, wherever they have one; tells of how
/// many.
Edit turn_alike(const Reel& reel, std::span<const ClipId> clips, const StepType& type,
                int parameter, double value);
/// Names by a pattern: {name}, {group} and {number} (1, 2, ... with leading noughts where there are
/// ten or more) are filled in. Throws Error(call) for another word in braces, or no name.
Edit rename_by_pattern(const Reel& reel, std::span<const ClipId> clips, const std::string& pattern);

}  // namespace drevan::edits
