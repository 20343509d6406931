// SPDX-License-Identifier: GPL-3.0-or-later
// Marks that a recorder or editor left in a file.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

struct CuePoint {
  Samples frame = 0;  ///< in the file's own rate
  std::string name;   ///< may be empty
};

/// Those of a file that libsndfile reads, sorted; none for any other. Throws Error(input) when it
/// cannot be opened.
std::vector<CuePoint> read_cue_points(const std::filesystem::path& file);

}  // namespace drevan
