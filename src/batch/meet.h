// SPDX-License-Identifier: GPL-3.0-or-later
// Bringing a clip to its target.
#pragma once

#include "batch/target.h"
#include "engine/listening/level_path.h"

namespace drevan {

/// What would make a clip meet its target, and in a sentence what it is.
struct Meeting {
  Chain chain;  ///< the clip's own chain, mended; unchanged when nothing is or can be done
  std::string
      told;  ///< "Normalise set to -16.0 LUFS", or what stands in the way and which step would help
  bool meets = false;  ///< with `chain`
  bool changed = false;
};

/// Sets the last step that sets a level (normalise, limiter, gain), or adds one: normalise where gain
/// alone does it, a limiter with drive where peaks would pass, tried out and corrected. `later` are the
/// steps of group and reel that follow it. Where the noise floor would be too high for any gain, nothing is
/// changed. Throws as measure_level_path() does.
Meeting meet_target(const ClipSound& sound, const Chain& chain, std::span<const PlannedStep> later,
                    const Target& target, const LevelPathOptions& options);

}  // namespace drevan
