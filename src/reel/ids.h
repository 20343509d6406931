// The ids of what a reel holds.
#pragma once

#include "audio/id.h"

namespace drevan {

/// Tells the steps of a reel apart for as long as they live, wherever they move. None: of no reel.
using StepId = Id<struct StepKind>;
/// Tells the clips of a reel apart, and what sums sounds (spaces and the mix, below 0), for ever.
/// A number still; what says ClipId means a clip.
using ClipId = int;
/// Tells its events apart, for ever.
using EventId = Id<struct EventKind>;

}  // namespace drevan
