// SPDX-License-Identifier: GPL-3.0-or-later
// What steps hear beside their own sound, within a reel.
#pragma once

#include "reel/reel.h"

namespace drevan {

/// The clip that is chosen, by its id, or by its name where it has none; nullptr: it is not in the
/// reel.
const Clip* side_clip(const Reel& reel, const SideChoice& choice);

/// Throws Error(call) with a sentence where a clip hears itself, or clips hear each other in a
/// ring. A side is heard through its own chain.
void require_no_rings(const Reel& reel);

}  // namespace drevan
