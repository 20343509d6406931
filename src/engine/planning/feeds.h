// SPDX-License-Identifier: GPL-3.0-or-later
// What clips feed into spaces, and where in them they stand.
#pragma once

#include <vector>

#include "engine/rendering/process.h"
#include "reel/reel.h"

namespace drevan {

/// How much of a sound enters a space. Curves count from the sound's first frame.
struct Feed {
  SpaceId space = 0;  ///< its id
  float gain = 1;     ///< a factor
  /// What follows the gain: a `gain` whose curve is the send's, or nothing.
  std::vector<PlannedStep> amount{};
  /// Direct and early sound at the feed's own place, one `acoustics`; nothing where nobody who feeds
  /// that space has a place of their own.
  std::vector<PlannedStep> place{};
};
bool operator==(const Feed& a, const Feed& b);

/// What of a clip enters which spaces. `lead_s`: seconds of its sound before the clip's beginning.
std::vector<Feed> feeds_of(const Reel& reel, const Clip& clip, double lead_s = 0);
/// What tells feeds from others that sound otherwise.
std::uint64_t key_of(const std::vector<Feed>& feeds);
/// Seconds that a feed at its own place rings behind its sound at most.
inline constexpr double own_place_rings_s = 2;

/// The chain of a space whose feeds have places: its `acoustics` gives what rings on of their sum, to
/// which their own direct and early sound come before the next step.
std::vector<PlannedStep> late_of(std::vector<PlannedStep> steps);

}  // namespace drevan
