// SPDX-License-Identifier: GPL-3.0-or-later
// A made-up voice in a room, to show what a chain does where there is no clip at hand.
#pragma once

#include "engine/planning/clip_sound.h"

namespace drevan {

/// A second of room, then six seconds of voiced and hissing syllables with pauses, peaks at -9 dBFS, a
/// noise floor near -52 dBFS; the same samples every time, 48 kHz mono. Written to `folder` when it is
/// not there yet. Its room tone is marked. Throws Error(output).
ClipSound reference_voice(const std::filesystem::path& folder);

}  // namespace drevan
