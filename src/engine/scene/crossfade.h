// SPDX-License-Identifier: GPL-3.0-or-later
// From one sound into another, so that neither a dip nor a bump is heard.
#pragma once

#include <utility>

#include "reel/times/crossings.h"

namespace drevan {

/// The gains of the going and the coming sound at `t` (0 to 1) of a crossfade, for sounds that are
/// `alike` (normalised correlation): t and 1 - t, both divided by the level of their sum, so that its
/// power stays: equal gain for alike = 1, equal power for 0 (M. Fink, M. Holters, U. Zoelzer,
/// "Signal-matched power-complementary cross-fading and dry-wet mixing", DAFx 2016). Below 0 as for 0:
/// nothing is made louder than either sound alone.
std::pair<float, float> crossfade(double t, double alike);

/// `t` where a share `x` (0 to 1) of a crossfade's length is over: 0.5 at its `middle`.
double crossfade_moment(double x, double middle);

/// How alike two clips' sounds are where one goes over into the other: their normalised correlation
/// over both fades, -1 to 1, as they enter their chains; of long ones in the middle ten seconds. 1
/// where either is silent. Throws Error(input).
double alike_where_they_cross(const Reel& reel, const Crossing& crossing);

}  // namespace drevan
