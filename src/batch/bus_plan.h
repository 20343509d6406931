// SPDX-License-Identifier: GPL-3.0-or-later
// The chains of spaces and of the mix, made ready to be played.
#pragma once

#include <filesystem>

#include "engine/rendering/process.h"
#include "engine/scene/scene_run.h"

namespace drevan {

/// The steps of a bus and what they must know. Where one must hear what enters the bus before it
/// can run, that is rendered into `folder` and heard; elsewhere, and where nothing enters, nothing
/// is rendered. Steps that rewrite a sound do not run while it plays and are left out. Throws as
/// render_sum().
BusPlan bus_plan(const Reel& reel, ClipId bus, const std::filesystem::path& folder,
                 FindingStore& store, const CancelToken& cancel);
/// The steps of a bus that run while it plays: all but those that rewrite a sound.
Chain live_chain(const Reel& reel, ClipId bus);
/// Whether it must hear what enters it.
bool bus_must_hear(const Reel& reel, ClipId bus);

}  // namespace drevan
