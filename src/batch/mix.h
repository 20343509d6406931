// A reel as one mix, and as stems that sum to it.
#pragma once

#include "batch/batch.h"

namespace drevan {

struct MixOptions {
  bool mix = true;    ///< the whole reel in one file, "{reel} mix"
  bool stems = false; ///< a file per group that has clips, "{reel} {group}", of the mix's length
  std::optional<Target> target;  ///< what the mix is judged by
};

struct MixFile {
  std::string name;   ///< "mix", or the group's
  bool stem = false;  ///< a group's
  std::filesystem::path output;
  Levels levels;      ///< Detail::full
  Samples clipped = 0;
  std::vector<std::string> missed;
};

struct MixResult {
  std::vector<JobResult> clips;  ///< what became of each, no output; one that failed is left out of the mix
  std::vector<MixFile> files;    ///< the mix first
};

/// Runs every clip through its chains, several at a time, and lays it down at its place: a stereo mix when
/// any clip is stereo, in which a mono clip stands in the middle, 3 dB lower in each channel, so that its
/// loudness stays. Files begin at the reel's start (broadcast-wave time reference 0) and are as long as the
/// last ringing. In 32-bit float the stems sum to the mix to the last bits of a float.
///
/// `options` says folder, format, workers and pause. Clips pass through 32-bit float files in a folder
/// beside the outputs, which goes at the end. Atomic per file. Throws Error(output), Error(call), Cancelled.
MixResult render_mix(const Reel& reel, const BatchOptions& options, const MixOptions& what, FindingStore& store,
                     const CancelToken& cancel, const Progress& progress = {});

}  // namespace drevan
