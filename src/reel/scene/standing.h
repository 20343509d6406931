// SPDX-License-Identifier: GPL-3.0-or-later
// Where clips are heard from: held on the picture and on the plan alike. Moments are seconds from
// the clip's beginning.
#pragma once

#include <optional>

#include "reel/scene/scene_curves.h"
#include "reel/scene/scene_edits.h"

namespace drevan {

/// What says where a clip is heard from.
enum class StandsBy {
  nothing,
  pan,        ///< its own chain's last `pan`: from left to right alone
  acoustics,  ///< its own chain's `acoustics`
  /// The first space with places (see placing_step()) that it feeds, where it has a place of its own
  /// or is heard through spaces alone.
  space,
};

struct Standing {
  StandsBy by = StandsBy::nothing;
  SpaceId space = 0;       ///< where by a space
  edits::Feeder feeder{};  ///< who stands there: the clip, or all of its group
  double azimuth_deg = 0;  ///< 0 ahead, 90 on the right
  double distance_m = 2;   ///< of no meaning by pan
  bool moves = false;      ///< it follows a curve
};

Standing standing_at(const Reel& reel, const Clip& clip, double s);
/// From the picture's left edge (-1) to its right, see picture_half_deg.
double share_of(const Standing& standing);
/// The curve that its azimuth (or pan) follows, from the clip's beginning; empty: it stands.
std::optional<Curve> way_of(const Reel& reel, const Clip& clip);

namespace edits {

/// The clip is heard from there. Where `over_time`, or where it moves already, from `from_s` to
/// `to_s` (one moment: a point there) in place of what its curves do there; else all the time. By
/// pan the distance says nothing; a `pan` is added where nothing says where it stands. `alone`: of a
/// place that it has from its group the clip gets one of its own. Holds that follow each other are
/// one edit.
struct Hold {
  double from_s = 0, to_s = 0;
  double azimuth_deg = 0;
  std::optional<double> distance_m{};  ///< empty: as far as it is
  bool over_time = true;
  bool alone = false;
};
Edit hold_at(const Reel& reel, ClipId clip, const Hold& hold);
/// Along a way over the picture that is known, see hold_along(): by whatever says where it stands.
Edit follow_along(const Reel& reel, ClipId clip, std::span<const HeldAt> shares);

}  // namespace edits
}  // namespace drevan
