// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/curve_clock.h"

#include "steps/curve_edit.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

CurveClock curve_clock(const Work& work, StepId step) {
  CurveClock out;
  const Clip* clip = work.selection.clip();
  if (!clip) return out;
  const auto place = place_of(work.document.reel(), *clip, step);
  out.shared = place && place->owner != ChainOwner::clip;
  out.times = times_of(work.document.reel(), *clip);
  const auto* levels = work.measurements.levels();
  const int i = work.selection.running_index(step);
  if (levels && i >= 0 && i < static_cast<int>(levels->sounds.size()))
    out.times = with_clock(std::move(out.times), levels->sounds[static_cast<size_t>(i)].from_clip);
  else
    out.times = with_clock(std::move(out.times), {});
  return out;
}

Settings settings_at(const Work& work, const ChainStep& step, double clip_s) {
  if (step.curves.empty()) return step.settings;
  return drevan::settings_at(step.settings, step.curves, *step.type,
                             curve_clock(work, step.id).curve_s(clip_s));
}

}  // namespace drevan::desktop
