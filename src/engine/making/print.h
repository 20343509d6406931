// SPDX-License-Identifier: GPL-3.0-or-later
// Freezing a clip's sound into a file: all of it, or a selection crossfaded into what surrounds it.
#pragma once

#include <filesystem>

#include "engine/rendering/render.h"

namespace drevan {

/// A sound and the chain to freeze into it. Written as 32-bit float WAV: nothing is lost, nothing clips.
struct PrintRequest {
  ClipPlan plan;
  std::optional<ClipRange>
      range{};           ///< the part to print, of the clip; empty: all, with its ringing
  double fade_s = 0.05;  ///< length of the crossfade at either end of `range`, inside it; 0 to 2
  std::filesystem::path output{};  ///< ends in .wav; its folder is made
};

struct PrintResult {
  Levels levels;  ///< of the printed file
  /// How alike before and after are within the crossfade into and out of the range, -1 to 1; what
  /// decides its law. Empty: there is none (the clip begins or ends there).
  std::optional<double> alike_in, alike_out;
  std::vector<std::string> warnings;  ///< whole sentences
};

/// A range is heard through the chain just as it is when the whole clip plays: what steps learn, they
/// learn from the whole clip; but what turns time round turns the range round. Outside of it every sample stays as
/// it was, alike in all channels where the steps make more of them. Atomic. Throws Error(call) for
/// a range outside of the clip, Error(input), Error(output), Cancelled.
PrintResult print_clip(const PrintRequest& request, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress = {});

}  // namespace drevan
