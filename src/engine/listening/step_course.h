// SPDX-License-Identifier: GPL-3.0-or-later
// What one step does over the length of a clip.
#pragma once

#include <functional>
#include <vector>

#include "audio/progress.h"
#include "engine/playing/play_run.h"

namespace drevan {

/// Gain reduction over time, and how much of what the step does is plain gain.
struct StepCourse {
  /// dB taken (below 0: given) per block of PlayRun::block frames from the clip's start; as far as it
  /// is known. Empty for steps that tell no reduction.
  std::vector<float> reduction_db;
  /// Of a step that tells pitches (Tells::pitch): before and after, in Hz, per block; 0: no voice.
  std::vector<float> pitch_hz, new_pitch_hz;
  /// The gain by which what enters is most like what leaves (least squares).
  double fitted_gain = 1;
};

/// Whether the step's readings tell a gain reduction, and which it is: the largest where there are
/// several bands. dB.
bool tells_reduction(const StepType& type);
double reduction_db(const StepType& type, std::span<const float> readings);

/// Runs the clip through its chain up to step `plan->solo_step` once. `told` (may be empty) gets what is
/// known so far a few times a second. Throws Error(input), Cancelled.
StepCourse measure_step_course(const std::shared_ptr<const PlayPlan>& plan,
                               const CancelToken& cancel,
                               const std::function<void(const StepCourse&)>& told = {});

}  // namespace drevan
