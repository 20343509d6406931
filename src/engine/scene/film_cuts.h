// SPDX-License-Identifier: GPL-3.0-or-later
// Where a film goes from one scene to another.
#pragma once

#include <filesystem>
#include <vector>

#include "audio/progress.h"

namespace drevan {

/// Seconds from the first picture of each picture that begins another scene, rising. Pictures are
/// compared by the pattern of their brightness, whatever their brightness is, so that lamps that go
/// on and beams that pass by are no cuts; what comes back within a third of a second is none either
/// (a flash), nor what goes on changing as fast (a pan). Reads the whole film. Throws Error(input),
/// Cancelled.
std::vector<double> find_film_cuts(const std::filesystem::path& film, const CancelToken& cancel,
                                   const Progress& progress = {});

}  // namespace drevan
