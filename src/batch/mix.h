// A reel as one mix, and as stems that sum to what enters its mix chain.
#pragma once

#include "batch/batch.h"
#include "engine/mix_run.h"

namespace drevan {

struct MixOptions {
  bool mix = true;    ///< the whole reel in one file, "{reel} mix"
  bool stems = false;  ///< a file per group that has clips, "{reel} {group}", of the sum's length
  std::optional<Target> target{};  ///< what the mix is judged by
  bool mix_chain = true;           ///< whether the mix goes through the reel's mix chain
};

struct MixFile {
  std::string name;   ///< "mix", or the group's
  bool stem = false;  ///< a group's
  std::filesystem::path output;
  Levels levels;      ///< Detail::full
  Samples clipped = 0;
  std::vector<std::string> missed;
  std::vector<std::string> chain{};     ///< labels of the steps of the mix chain it went through
  std::optional<Levels> before{};       ///< of what entered them, Detail::quick
  std::vector<std::string> warnings{};  ///< whole sentences
};

struct MixResult {
  std::vector<JobResult> clips;  ///< what became of each, no output; one that failed is left out of the mix
  std::vector<MixFile> files;    ///< the mix first
};

/// Runs every clip through its chains, several at a time, and sums them at their places (see
/// MixRun). Files begin at the reel's start (broadcast-wave time reference 0) and are as long as
/// the last ringing. The mix then goes through the reel's mix chain, which may ring on. In 32-bit
/// float the stems sum to what enters it to the last bits of a float.
///
/// `options` says folder, format, workers and pause. Clips pass through 32-bit float files in a folder
/// beside the outputs, which goes at the end. Atomic per file. Throws Error(output), Error(call), Cancelled.
MixResult render_mix(const Reel& reel, const BatchOptions& options, const MixOptions& what, FindingStore& store,
                     const CancelToken& cancel, const Progress& progress = {});

/// What a sum is made of: two with one key are the same bits.
std::uint64_t sum_key(const Reel& reel);

/// The sum before the mix chain, for working on that: as one 32-bit float file. Every clip lies beside
/// it; one that is there from an earlier time is taken as it is, where nothing of it has changed.
/// Returns the file. Throws as render_mix().
Source render_sum(const Reel& reel, const std::filesystem::path& file, FindingStore& store,
                  const CancelToken& cancel, const Progress& progress = {});

}  // namespace drevan
