// SPDX-License-Identifier: GPL-3.0-or-later
// Something in a film followed from picture to picture.
#pragma once

#include <filesystem>
#include <optional>
#include <vector>

#include "audio/progress.h"

namespace drevan {

/// Where it is: shares of the picture, from the left and from the top, as it is stored.
struct TrackedPoint {
  double s = 0;  ///< from the film's first picture
  double x = 0, y = 0;
};

struct FilmTrack {
  std::vector<TrackedPoint> points;  ///< one a picture, as far as it was followed
  std::optional<double> lost_s{};    ///< where it was lost, or left the picture
};

/// Follows what is seen around a place at `from_s` until `until_s`: the patch there is looked for
/// in each picture by normalised cross-correlation (J. P. Lewis, "Fast normalized
/// cross-correlation", 1995) and slowly renewed, so that it may turn and walk. Says where it has
/// lost it: nothing there is like it any more, as behind a cut. Throws Error(input), Error(call)
/// for a place outside the picture, Cancelled.
FilmTrack follow_in_film(const std::filesystem::path& film, double from_s, double x, double y,
                         double until_s, const CancelToken& cancel, const Progress& progress = {});

}  // namespace drevan
