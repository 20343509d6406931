// SPDX-License-Identifier: GPL-3.0-or-later
// A reel as one mix, and as stems that sum to what enters its mix chain.
#pragma once

#include "batch/batch.h"
#include "engine/scene/mix_run.h"

namespace drevan {

struct MixOptions {
  bool mix = true;  ///< the whole reel in one file, "{reel} mix"
  /// A file per group that has clips, "{reel} {group}", and per space that is fed, "{reel}
  /// {space}", of the sum's length.
  bool stems = false;
  std::optional<Target> target{};  ///< what the mix is judged by
  bool mix_chain = true;           ///< whether the mix goes through the reel's mix chain
  bool kinds =
      false;  ///< a file per kind of group that has clips, "{reel} dialogue", spaces not in it
  /// Of the clips these alone, as they sound among all others; empty: all.
  std::vector<ClipId> only{};
};

struct MixFile {
  std::string name;   ///< "mix", or the group's, the kind's, the space's
  bool stem = false;  ///< not the mix
  std::filesystem::path output;
  Levels levels;  ///< Detail::full
  Samples clipped = 0;
  std::vector<std::string> missed;
  std::vector<std::string> chain{};     ///< labels of the steps of the mix chain it went through
  std::optional<Levels> before{};       ///< of what entered them, Detail::quick
  std::vector<std::string> warnings{};  ///< whole sentences
};

struct MixResult {
  std::vector<JobResult>
      clips;  ///< what became of each, no output; one that failed is left out of the mix
  std::vector<MixFile> files;  ///< the mix first
};

/// Runs every clip through its chains, several at a time, and sums them at their places (see
/// MixRun), and what is fed into a space through that. Files begin at the reel's start
/// (broadcast-wave time reference 0) and are as long as the last ringing. The mix then goes through
/// the reel's mix chain, which may ring on. In 32-bit float the stems sum to what enters it to the
/// last bits of a float.
///
/// `options` says folder, format, workers and pause. Clips pass through 32-bit float files in a folder
/// beside the outputs, which goes at the end. Atomic per file. Throws Error(output), Error(call), Cancelled.
MixResult render_mix(const Reel& reel, const BatchOptions& options, const MixOptions& what,
                     FindingStore& store, const CancelToken& cancel, const Progress& progress = {});

/// These clips summed as they stand, from the first frame that is heard of them on, through their
/// chains up to `last`, each as loud as it leaves these and into no space; planned among all of the
/// reel's clips, but crossfaded with each other alone. One 32-bit float file; `begin` is where it stands. Throws as render_mix(), also
/// where one of them fails.
struct RenderedPart {
  Source sound;
  ReelTime begin{};
};
RenderedPart render_part(const Reel& reel, std::span<const ClipId> clips, ChainOwner last,
                         const std::filesystem::path& file, FindingStore& store,
                         const CancelToken& cancel, const Progress& progress = {});

/// What the sum is made of that enters a bus (the mix or a space, by id): two with one key are the
/// same bits.
std::uint64_t sum_key(const Reel& reel, ClipId bus = mix_clip_id);

/// The sum before a bus's chain, for working on that: as one 32-bit float file. Every clip lies
/// beside it; one that is there from an earlier time is taken as it is, where nothing of it has
/// changed. Returns the file. Throws as render_mix(); Error(call): nothing is fed into that space.
Source render_sum(const Reel& reel, const std::filesystem::path& file, FindingStore& store,
                  const CancelToken& cancel, const Progress& progress = {},
                  ClipId bus = mix_clip_id);

}  // namespace drevan
