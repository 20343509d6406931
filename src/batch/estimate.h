// SPDX-License-Identifier: GPL-3.0-or-later
// What a batch will take, told before it runs.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <span>

#include "batch/batch.h"

namespace drevan {

struct BatchEstimate {
  int clips = 0;
  double seconds = 0;       ///< of sound
  double work = 0;          ///< those, each times its steps and one: what rendering time goes by
  std::uint64_t bytes = 0;  ///< of all files, FLAC by experience at six tenths of its samples
  std::uint64_t mix_bytes = 0;  ///< of one stereo file over all of them, at their places
};

/// Of these clips of a reel, in all formats of `options`, without what rings on.
BatchEstimate estimate_batch(const Reel& reel, std::span<const ClipId> clip_ids,
                             const BatchOptions& options);

/// Room on the disk that `folder`, or the nearest folder above it that is there, lies on; empty:
/// it cannot be told.
std::optional<std::uint64_t> free_space(const std::filesystem::path& folder);

}  // namespace drevan
