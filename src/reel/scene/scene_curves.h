// SPDX-License-Identifier: GPL-3.0-or-later
// Edits that fit a clip to the picture: its length, its gain over time, its place from left to
// right. See reel/edits/edits.h. Moments are seconds of what leaves the clip's own chain, from its
// beginning.
#pragma once

#include <optional>

#include "reel/edits/edits.h"

namespace drevan::edits {

/// What a clip that is stretched keeps.
enum class StretchWay {
  pitch,  ///< the `stretch` step
  tape,   ///< the `speed` step: longer is lower
};
/// Of the step that stretches so.
constexpr Role role_of(StretchWay way) {
  return way == StretchWay::pitch ? Role::stretch : Role::tape_speed;
}
/// How many times as long a sound can become: what the step's own setting reaches.
struct StretchBounds {
  double least = 0.1, most = 4;
};
StretchBounds stretch_bounds(StretchWay way);
/// How the clip's own chain stretches it; nullopt: it does not.
std::optional<StretchWay> stretch_way(const Clip& clip);
/// The clip becomes so long, by the first step of its own chain, which is added where it is not
/// there; the other kind of such a step goes. What is bound within it stays, see reel/edits/anchors.h.
/// Stretches that follow each other are one edit. Throws
/// Error(call) past what the step can do, telling the bounds.
Edit stretch_to(const Reel& reel, ClipId clip, HeardSpan length, StretchWay way);
/// Its own length again.
Edit take_out_stretch(const Reel& reel, ClipId clip);

/// A setting of the clip's own chain that is drawn in the Scene.
struct DrawnSetting {
  StepId step = 0;
  int parameter = 0;
};
/// The last step of the clip's own chain, where that is a gain: what its row's line turns.
std::optional<DrawnSetting> drawn_gain(const Clip& clip);
/// The gain along the clip; the step is added at the end of its own chain where it is not there.
/// Empty: it stands still, at 0 dB. Draws that follow each other are one edit.
Edit draw_gain(const Reel& reel, ClipId clip, std::optional<Curve> curve);

/// What places the clip from left to right: the azimuth of an `acoustics` step of its own chain,
/// else its last `pan`.
std::optional<DrawnSetting> drawn_place(const Clip& clip);
/// How far left or right the picture reaches for `acoustics`, degrees.
inline constexpr double picture_half_deg = 45;
/// Where it stands at a moment, -1 (left edge of the picture) to 1; 0 where nothing places it.
double place_at(const Clip& clip, double s);
/// `before` (nullptr: none) with `value` from `from_s` to `to_s`, in place of what was there: smooth
/// between moments that were held apart, straight along a way of the hand.
Curve held_curve(const Curve* before, const Parameter& of, double from_s, double to_s,
                 double value);
/// Holds it at `share` of the picture from `from_s` to `to_s` (one moment: a point there), in place
/// of what its curve does there; a `pan` is added where nothing places it. Holds that follow each
/// other are one edit.
Edit hold_place(const Reel& reel, ClipId clip, double from_s, double to_s, double share);
/// The same along a way that is known: `shares` rise in time. As few points as keep within half a
/// percent of the picture's width.
struct HeldAt {
  double s = 0, share = 0;
};
Edit hold_along(const Reel& reel, ClipId clip, std::span<const HeldAt> shares);

}  // namespace drevan::edits
