// SPDX-License-Identifier: GPL-3.0-or-later
#include "pages/bench/pause_snap.h"

#include <cmath>

#include "audio/error.h"
#include "engine/recording/take.h"
#include "work/document.h"
#include "work/selection.h"

namespace drevan::desktop {

PauseSnap::PauseSnap(const Work& work, QObject* parent)
    : QObject(parent), work_(work), lane_(work.document) {
  connect(&work_.document, &Document::leaving, this, [this] {
    lane_.cancel();
    clip_ = 0;
  });
  connect(&work_.selection, &Selection::clip_changed, this, [this] {
    lane_.cancel();
    clip_ = 0;
  });
}

void PauseSnap::hear(ClipRange range) {
  const Clip* clip = work_.selection.clip();
  if (!clip || (clip_ == clip->id && range == range_)) return;
  clip_ = clip->id;
  range_ = range;
  ends_.clear();
  Clip wide = *clip;
  const double rate = work_.document.reel().source_of(*clip).rate;
  wide.begin += std::llround(range.begin.s * rate);
  wide.frames = std::llround((range.end.s - range.begin.s) * rate);
  wide.fade_in = wide.fade_out = {};
  lane_.start([this, range, sound = clip_sound(work_.document.reel(), wide)](
                  const CancelToken& cancel) -> TaskLane::Finish {
    try {
      std::vector<double> ends;
      for (const auto& piece : hear_take(sound, cancel).at_pauses({})) {
        ends.push_back(range.begin.s + piece.range.begin.s);
        ends.push_back(range.begin.s + piece.range.end.s);
      }
      return [this, ends] { ends_ = ends; };
    } catch (const Error&) {
      return {};  // nothing to snap to
    }
  });
}

double PauseSnap::snapped(double s, double reach_s) const {
  double best = s;
  for (const double end : ends_)
    if (std::abs(end - s) < std::min(reach_s, best == s ? reach_s : std::abs(best - s))) best = end;
  return best;
}

}  // namespace drevan::desktop
