// SPDX-License-Identifier: GPL-3.0-or-later
// Every step there is.
#pragma once

#include <span>

#include "steps/step.h"

namespace drevan {

/// All steps, in the order of the trade: clean, tone, level, ...; within a family by label.
std::span<const StepType* const> catalogue();

/// The step called `id`, or nullptr.
const StepType* find_step(std::string_view id);

/// The one step in a role; throws std::logic_error where there is none.
const StepType& step_for(Role role);

/// Lets find_step() know one more, which catalogue() does not list: for tests of what no step in it
/// asks for yet. It must live as long as the program.
void make_known(const StepType& type);

/// Makes a step's processor with a guard before it: samples that are not finite, or beyond
/// +60 dBFS, are taken out, so that no step ever holds or passes on a NaN.
std::unique_ptr<Processor> make_processor(const StepType& type, const Settings& settings,
                                          const Findings& findings, StreamFormat format);

/// The guard itself: NaN and infinity become 0, the rest is kept within +-1000.
void guard(const AudioBlock& block) noexcept;

}  // namespace drevan
