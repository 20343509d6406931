// SPDX-License-Identifier: GPL-3.0-or-later
// The ids of what a reel holds. Each lasts as long as the reel: an edit may move what it names, or
// take it out, but never gives it to another. Only an edit that is undone gives back the ids of what
// it made.
#pragma once

#include "audio/id_text.h"

namespace drevan {

/// Tells the steps of a reel apart for as long as they live, wherever they move. None: of no reel.
using StepId = Id<struct StepTag>;
/// Tells its clips apart, and what sums sounds and is worked on as a clip too (spaces and the mix,
/// below 0).
using ClipId = Id<struct ClipTag>;
/// Tells its groups apart.
using GroupId = Id<struct GroupTag>;
/// Tells its media files apart.
using SourceId = Id<struct SourceTag>;
/// Tells its events apart.
using EventId = Id<struct EventTag>;

/// Tells its spaces apart.
using SpaceId = Id<struct SpaceTag>;
/// The clip that a space is worked on as, and back. The ids of both are one number.
constexpr ClipId clip_of(SpaceId space) { return ClipId::numbered(space.number()); }
constexpr SpaceId space_of(ClipId bus) { return SpaceId::numbered(bus.number()); }

}  // namespace drevan
