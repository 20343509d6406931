// SPDX-License-Identifier: GPL-3.0-or-later
// The levels of a whole file at its own rate.
#pragma once

#include "audio/progress.h"
#include "measure/levels.h"
#include "media/reader.h"

namespace drevan {

struct FileLevels {
  MediaInfo info;
  Levels levels;
};

/// Throws Error(input), Cancelled.
FileLevels measure_file(const std::filesystem::path& file, const CancelToken& cancel,
                        const Progress& progress = {});

}  // namespace drevan
