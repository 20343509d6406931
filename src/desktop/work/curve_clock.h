// Curves count the seconds of the sound that enters their step; the screen those of the clip.
#pragma once

#include "audio/sound.h"
#include "reel/reel.h"
#include "work/work.h"

namespace drevan::desktop {

/// From the clip's time to that of a step's curves, and back.
struct CurveClock {
  TimeMap entering;     ///< where the clip's moments are in what enters the step
  double offset_s = 0;  ///< of a group's and the reel's steps: where the clip stands in the reel
  double curve_s(double clip_s) const { return entering.out_of(clip_s) + offset_s; }
  double clip_s(double curve_s) const { return entering.in_of(curve_s - offset_s); }
};
/// Of a step of the selected clip, as its chain was measured last.
CurveClock curve_clock(const Work& work, StepId step);

/// A step's settings as they are at a moment of the selected clip.
Settings settings_at(const Work& work, const ChainStep& step, double clip_s);

}  // namespace drevan::desktop
