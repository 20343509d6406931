// SPDX-License-Identifier: GPL-3.0-or-later
// The voices of clips, to tell who speaks.
#pragma once

#include "engine/planning/clip_sound.h"
#include "measure/voice_print.h"

namespace drevan {

/// Of a clip as it came, its first minute at most. Throws Error(input), Cancelled.
VoicePrint hear_voice(ClipSound sound, const CancelToken& cancel);

}  // namespace drevan
