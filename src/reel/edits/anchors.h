// SPDX-License-Identifier: GPL-3.0-or-later
// Moments inside a clip that are bound to moments of the reel: its length has corners there. See
// reel/edits/edits.h.
#pragma once

#include <vector>

#include "audio/sound.h"
#include "reel/scene/scene_curves.h"

namespace drevan {

/// A moment of a clip's own sound, and when it is heard.
struct Anchor {
  ClipTime in{};
  HeardTime out{};
  friend bool operator==(const Anchor&, const Anchor&) = default;
};

/// The corners between beginning and end of the step that stretches the clip: of its curve whose
/// points hold.
std::vector<Anchor> anchors_of(const Reel& reel, const Clip& clip);

namespace edits {

/// What is heard at `out` is bound there: nothing moves yet. `way`: how
/// the clip is stretched where nothing stretches it. Throws Error(call): outside of the clip or
/// nearer than least_between_s to another; a curve was drawn along its length; another step of its
/// chain has a clock of its own.
Edit bind(const Reel& reel, ClipId clip, HeardTime out, StretchWay way);
/// The anchor is heard there from now on; the other ones, beginning and end stay where they are.
/// Moves of one anchor that follow each other are one edit. Throws as stretch_to(), telling the
/// bounds.
Edit move_anchor(const Reel& reel, ClipId clip, int anchor, HeardTime out);
/// What lies between its neighbours is stretched evenly again.
Edit unbind(const Reel& reel, ClipId clip, int anchor);
/// The clip's end is heard there; anchors stay. See stretch_to().
Edit move_bound_end(const Reel& reel, ClipId clip, HeardSpan length, StretchWay way);
/// All of an anchored clip becomes `factor` times as long.
Edit stretch_bound(const Reel& reel, ClipId clip, double factor);

/// After `edit`, which moved an event: moments that were bound where it was go with it, but where
/// that is past what the step can do; `told` then names those.
Edit follow_event(Edit edit, ReelTime from, ReelTime to);

inline constexpr double least_between_s = 0.01;

}  // namespace edits
}  // namespace drevan
