// SPDX-License-Identifier: GPL-3.0-or-later
// What a clip's steps need beside its own sound.
#pragma once

#include <string>
#include <vector>

#include "engine/rendering/process.h"

namespace drevan {

/// What each step hears beside its own sound, made through its plan or taken from `options.cache`.
/// Throws as process_clip() does.
std::vector<StepSides> make_sides(const ClipPlan& plan, const ProcessOptions& options);

/// What of a plan's needs is not there, so that a step does less than it should: whole sentences.
std::vector<std::string> plan_flaws(const ClipPlan& plan);

}  // namespace drevan
