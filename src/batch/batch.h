// Many clips into files: one worker per core, one bad file never stops the others.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "batch/target.h"
#include "engine/render.h"

namespace drevan {

/// One clip to render. A failure known beforehand (a missing source) goes into `problem`.
struct BatchJob {
  std::string clip;   ///< its name, for {clip}
  std::string group;  ///< for {group}
  std::string reel;   ///< for {reel}
  ClipSound sound;
  bool find_room_tone = false;  ///< look for one when `sound` has none and a step needs it
  Chain chain;                  ///< only steps that are on
  std::string problem;
};

/// A reel's clips as jobs; clips without a room tone of their own get one found.
std::vector<BatchJob> batch_jobs(const Reel& reel, std::span<const int> clip_ids);

struct BatchOptions {
  std::filesystem::path folder = "rendered";  ///< made when it is not there
  std::string pattern = "{clip}";             ///< {clip} {group} {reel} {number}
  Container container = Container::wav;
  SampleType samples = SampleType::int24;
  int workers = 0;  ///< 0: one per core
  std::optional<Target> target;  ///< what every clip is judged by
};

enum class JobState { waiting, running, done, failed, cancelled };

struct JobResult {
  JobState state = JobState::waiting;
  double progress = 0;  ///< 0 to 1
  std::filesystem::path output;
  RenderResult render;  ///< when done
  std::optional<SecondsRange> room_tone;  ///< the one used, when a step needs one
  bool room_tone_found = false;           ///< it was found, not marked
  std::vector<std::string> missed;  ///< what of the target a done clip misses, "peak -1.2 dBFS, wanted ..."
  std::string problem;  ///< when failed: a whole sentence
};

/// Output files of all jobs, by the pattern. Characters a file name cannot hold become "-"; names
/// that would be the same get "-2", "-3". Throws Error(call) for an unknown {word}.
std::vector<std::filesystem::path> output_names(std::span<const BatchJob> jobs,
                                                const BatchOptions& options);

/// Called from workers, one call at a time, at most some 20 times a second per job.
using BatchUpdate = std::function<void(size_t job, const JobResult&)>;

/// Renders all; returns when all have ended. Throws Error(call) for impossible options,
/// Error(output) when the folder cannot be made; never for a single clip.
std::vector<JobResult> run_batch(std::span<const BatchJob> jobs, const BatchOptions& options,
                                 FindingStore& store, const CancelToken& cancel,
                                 const BatchUpdate& update);

/// Time left in seconds from the share done and the time it took; below 0: not known yet.
double time_left(double share_done, double seconds_so_far);

}  // namespace drevan
