// SPDX-License-Identifier: GPL-3.0-or-later
// One clip into one file.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "engine/rendering/process.h"
#include "measure/levels.h"
#include "media/peaks.h"
#include "media/writer.h"

namespace drevan {

/// A file to write, and how.
struct RenderOutput {
  std::filesystem::path file;  ///< with extension; its folder must exist
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
};

/// How long a render is.
enum class RenderLength {
  ring,  ///< until what rings on at the clip's end cannot be heard any more (-90 dBFS)
  same,  ///< exactly as long as the clip; what rings on is faded out over the last 10 ms
};

struct RenderRequest {
  ClipPlan plan;
  std::filesystem::path output;  ///< with extension; its folder must exist
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
  std::vector<RenderOutput> also{};  ///< the same sound in other formats
  RenderLength length = RenderLength::ring;
  bool side_thread = false;  ///< measures and writes on another thread: for who has a core to spare
};

struct RenderResult {
  Levels before;                                        ///< Detail::quick
  Levels after;                                         ///< Detail::full
  std::vector<PeakPair> before_outline, after_outline;  ///< see Outline; the same stretch of time
  Samples lead = 0;  ///< frames that come before the clip's own beginning, as of an echo that rises
  Samples clipped = 0;  ///< samples beyond full scale that an integer format had to clip
  std::vector<std::string> warnings;  ///< whole sentences
  /// false: the source holds less, or damaged, sound than it or the reel promises, or a file that a
  /// step needs is missing or broken; see warnings
  bool whole = true;
};

/// Renders atomically: the output appears whole or not at all. It has the channels that leave the last step. Throws
/// Error, Cancelled.
RenderResult render_clip(const RenderRequest& request, FindingStore& store,
                         const CancelToken& cancel, const Progress& progress = {});

}  // namespace drevan
