// SPDX-License-Identifier: GPL-3.0-or-later
// Many clips into files: one worker per core, one bad file never stops the others.
#pragma once

#include <atomic>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "batch/target.h"
#include "engine/rendering/render.h"

namespace drevan {

/// One clip to render. A failure known beforehand (a missing source) goes into `problem`.
struct BatchJob {
  std::string clip;   ///< its name, for {clip}
  std::string group;  ///< for {group}
  std::string reel;   ///< for {reel}
  ClipPlan plan;
  bool find_room_tone = false;  ///< look for one when the sound has none and a step needs it
  std::string problem;
  std::filesystem::path subfolder{};  ///< of the output folder, relative; empty: the folder itself
  std::filesystem::path output{};  ///< where it goes, when that is settled already; see share_of()
  /// Files beside its own that no output of the batch may replace: all sources of its reel.
  std::shared_ptr<const std::vector<std::filesystem::path>> protects{};
};

/// A reel's clips as jobs, planned among all of the reel's, through their chains up to `last`; clips
/// without a room tone of their own get one found.
std::vector<BatchJob> batch_jobs(const Reel& reel, std::span<const ClipId> clip_ids,
                                 ChainOwner last = ChainOwner::reel);

/// A format of a batch beside its first.
struct OutputFormat {
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
  friend bool operator==(const OutputFormat&, const OutputFormat&) = default;
};

struct BatchOptions {
  std::filesystem::path folder = "rendered";  ///< made when it is not there
  std::string pattern = "{clip}";             ///< {clip} {group} {reel} {number}
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
  /// The same in other formats at once, into files of the same names: of two with one extension, the
  /// later goes into a subfolder by its bits, "16-bit".
  std::vector<OutputFormat> also{};
  int workers = 0;               ///< 0: one per core
  std::optional<Target> target;  ///< what every clip is judged by
  bool only_changed =
      false;  ///< leave what a batch into this folder has done before and nothing has changed since
  const std::atomic<bool>* pause = nullptr;  ///< while true, workers wait where they are
  RenderLength length = RenderLength::ring;  ///< of clips; in a mix they ring
  bool overwrite = false;  ///< files that no batch made are replaced, too; sources never
  std::string part;        ///< names the part of a batch that several machines do, for its record
};

enum class JobState { waiting, running, done, failed, cancelled };

struct JobResult {
  JobState state = JobState::waiting;
  double progress = 0;  ///< 0 to 1
  std::filesystem::path output;
  std::vector<std::filesystem::path> also;  ///< in the other formats
  RenderResult render;                      ///< when done
  std::optional<ClipRange> room_tone;       ///< the one used, when a step needs one
  bool room_tone_found = false;             ///< it was found, not marked
  bool whole =
      true;  ///< false: done, but its source holds less, or damaged, sound; see the warnings
  bool kept = false;  ///< done by an earlier batch; nothing has changed since
  std::vector<std::string>
      missed;           ///< what of the target a done clip misses, "peak -1.2 dBFS, wanted ..."
  std::string problem;  ///< when failed: a whole sentence
};

/// The name by the pattern, without folder and extension: {clip} {group} {reel} {number}. Characters a file
/// name cannot hold become "-", and a long one is cut. Throws Error(call) for an unknown {word}.
std::string name_of(const BatchJob& job, const std::string& pattern, size_t number);

/// Where a batch's outputs go.
struct OutputNames {
  std::vector<std::filesystem::path> files;  ///< of each job
  std::vector<bool> numbered;  ///< of each job: its name was taken, so it has a number
  std::vector<std::filesystem::path> foreign;  ///< what stood in the way and was made by no batch
};
/// By the pattern. A name gets "-2", "-3" where it, in any of the formats, is another clip's, is a source (of
/// any job, or of its reel), or is a file that no batch made and may not be overwritten. Throws Error(call).
OutputNames settle_names(std::span<const BatchJob> jobs, const BatchOptions& options);
std::vector<std::filesystem::path> output_names(std::span<const BatchJob> jobs,
                                                const BatchOptions& options);

/// Where a file of one of the other formats goes.
std::filesystem::path also_name(const std::filesystem::path& output, const BatchOptions& options,
                                size_t format);

/// The jobs of part `share` of `shares` (1 to shares), every shares-th, under the names they have in the
/// whole batch: so that several machines do one batch. Throws as output_names().
std::vector<BatchJob> share_of(std::span<const BatchJob> jobs, const BatchOptions& options,
                               int share, int shares);

/// Sound and video files below a folder, as paths relative to it, sorted; hidden ones, what batches have made,
/// and all in the folder `output` (empty: none) are left out.
std::vector<std::filesystem::path> media_files(const std::filesystem::path& folder,
                                               const std::filesystem::path& output = {});

/// Called from workers, one call at a time, at most some 20 times a second per job.
using BatchUpdate = std::function<void(size_t job, const JobResult&)>;

/// Renders all; returns when all have ended. Throws Error(call) for impossible options,
/// Error(output) when the folder cannot be made; never for a single clip.
std::vector<JobResult> run_batch(std::span<const BatchJob> jobs, const BatchOptions& options,
                                 FindingStore& store, const CancelToken& cancel,
                                 const BatchUpdate& update);

/// Returns while `pause` is not set; throws Cancelled.
void wait_while_paused(const std::atomic<bool>* pause, const CancelToken& cancel);

/// How much work each job is against the others: its length, where it is known, else its file's size, which is
/// asked of the disk.
std::vector<double> job_weights(std::span<const BatchJob> jobs);
/// How much of a batch is done, 0 to 1, by these weights; without them they are asked for.
double share_done(std::span<const double> weights, std::span<const JobResult> results);
double share_done(std::span<const BatchJob> jobs, std::span<const JobResult> results);

/// Time left in seconds from the share done and the time it took; below 0: not known yet.
double time_left(double share_done, double seconds_so_far);

}  // namespace drevan
