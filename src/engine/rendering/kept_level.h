// SPDX-License-Identifier: GPL-3.0-or-later
// Steps that come out as loud as they went in: StepType::traits.keeps_level.
#pragma once

#include <memory>

#include "engine/rendering/kept_sound.h"
#include "engine/planning/plan.h"

namespace drevan {

/// What a step must hear to keep the level: all that enters it. Runs the step itself, with its
/// curves and no finding; `format`: of what enters. Its finding is one number, the gain in dB that
/// makes what leaves as loud as what enters, by the gated loudness of ITU-R BS.1770-4, or by RMS
/// where a sound is too short for it; within +-48 dB, in steps of
/// 1/1024 dB.
std::unique_ptr<Learner> learn_level(const PlannedStep& step, StreamFormat format,
                                     const StepSides& sides);

/// What learns for a step: its own learner, or one that keeps its level. Only for one that
/// must_hear().
std::unique_ptr<Learner> make_learner(const PlannedStep& step, StreamFormat format,
                                      const StepSides& sides);

/// The processor with that gain behind it, on its first `channels_out` channels. A new gain is gone
/// to within 0.2 s.
std::unique_ptr<Processor> keep_level(std::unique_ptr<Processor> inner, const Findings& findings,
                                      int channels_out, double rate);

}  // namespace drevan
