// SPDX-License-Identifier: GPL-3.0-or-later
// Curves count the seconds of the sound that enters their step; the screen those of the clip.
#pragma once

#include "reel/times/clip_times.h"
#include "work/work.h"

namespace drevan::desktop {

/// From the clip's time to that of a step's curves, and back.
struct CurveClock {
  ClipTimes times{};    ///< the clip's moments in what enters the step
  bool shared = false;  ///< a group's or the reel's step: its curves count the reel's time
  double curve_s(double clip_s) const {
    return shared ? in_reel(times, ClipTime{clip_s}).s : times.clock.out_of(clip_s);
  }
  double clip_s(double curve_s) const {
    return shared ? in_clip(times, ReelTime{curve_s}).s : times.clock.in_of(curve_s);
  }
};
/// Of a step of the selected clip, as its chain was measured last.
CurveClock curve_clock(const Work& work, StepId step);

/// A step's settings as they are at a moment of the selected clip.
Settings settings_at(const Work& work, const ChainStep& step, double clip_s);

}  // namespace drevan::desktop
