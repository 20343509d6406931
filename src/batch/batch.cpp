// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/batch.h"

#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <thread>

#include "audio/denormals.h"
#include "audio/error.h"
#include "audio/hash.h"
#include "audio/parallel.h"
#include "audio/replace_file.h"
#include "batch/record.h"
#include "reel/library/source_files.h"

namespace drevan {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

std::vector<BatchJob> batch_jobs(const Reel& reel, std::span<const ClipId> clip_ids,
                                 ChainOwner last) {
  std::vector<BatchJob> jobs;
  Planner planner(reel);
  const auto protects = std::make_shared<const std::vector<fs::path>>(source_files(reel));
  for (const ClipId id : clip_ids) {
    const Clip* clip = reel.find(id);
    if (!clip) continue;
    BatchJob job{clip->name, reel.group_of(*clip).name, reel.name, planner.plan(*clip, last), false,
                 {}};
    job.protects = protects;
    job.find_room_tone = !job.plan.sound.has_room_tone();
    const Source& source = reel.source_of(*clip);
    if (check_source(source, false) == SourceState::missing)
      job.problem = fmt::format("{}: its source {} is missing; find it again on the Bench.",
                                clip->name, source.path.string());
    jobs.push_back(std::move(job));
  }
  return jobs;
}

void wait_while_paused(const std::atomic<bool>* pause, const CancelToken& cancel) {
  cancel.check();
  while (pause && *pause) {
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    cancel.check();
  }
}

std::vector<double> job_weights(std::span<const BatchJob> jobs) {
  std::vector<double> out;
  for (const auto& job : jobs) {
    // A length in frames, else the file's size: one batch has either, mostly.
    std::error_code error;
    const double length = job.plan.sound.frames > 0
                              ? static_cast<double>(job.plan.sound.frames)
                              : static_cast<double>(fs::file_size(job.plan.sound.file, error)) / 2;
    out.push_back(error ? 1.0 : std::max(1.0, length));
  }
  return out;
}

double share_done(std::span<const double> weights, std::span<const JobResult> results) {
  double done = 0, all = 0;
  for (size_t i = 0; i < std::min(weights.size(), results.size()); ++i) {
    all += weights[i];
    done += weights[i] * (results[i].state == JobState::waiting   ? 0
                          : results[i].state == JobState::running ? results[i].progress
                                                                  : 1);
  }
  return all > 0 ? done / all : 0;
}

double share_done(std::span<const BatchJob> jobs, std::span<const JobResult> results) {
  return share_done(job_weights(jobs), results);
}

double time_left(double share_done, double seconds_so_far) {
  if (share_done < 0.01 || seconds_so_far < 0.3) return -1;
  return seconds_so_far * (1 - share_done) / share_done;
}

namespace {

bool needs_room_tone(const ClipPlan& plan) {
  return std::ranges::any_of(
      plan.steps, [](const PlannedStep& s) { return s.type->hears == Hears::room_tone; });
}

class Batch {
 public:
  Batch(std::span<const BatchJob> jobs, const BatchOptions& options, FindingStore& store,
        const CancelToken& cancel, const BatchUpdate& update)
      : jobs_(jobs),
        options_(options),
        store_(store),
        cancel_(cancel),
        update_(update),
        results_(jobs.size()) {
    const auto names = output_names(jobs, options);
    for (size_t i = 0; i < jobs.size(); ++i) results_[i].output = names[i];
    make_folder(options.folder);
    record_.emplace(options.folder, options.part, BatchRecord::Use::writing);
  }

  std::vector<JobResult> run() {
    const unsigned cores = std::max(1U, std::thread::hardware_concurrency());
    const auto count = std::min<size_t>(
        jobs_.size(), options_.workers > 0 ? static_cast<size_t>(options_.workers) : cores);
    // What is rendered tells its own failures; this is for those whom it tells.
    on_threads(
        std::max<size_t>(1, count), [this] { work(); }, [this] { next_ = jobs_.size(); });
    return std::move(results_);
  }

 private:
  void work() {
    const FlushDenormals flush;
    for (size_t i = 0; (i = next_++) < jobs_.size();) render_job(i);
  }

  std::vector<fs::path> also_files(const fs::path& output) const {
    std::vector<fs::path> out;
    for (size_t f = 0; f < options_.also.size(); ++f) out.push_back(also_name(output, options_, f));
    return out;
  }

  void tell(size_t i) {
    const std::lock_guard lock(mutex_);
    if (update_) update_(i, results_[i]);
  }

  void render_job(size_t i) {
    JobResult& r = results_[i];
    const BatchJob& job = jobs_[i];
    try {
      wait_while_paused(options_.pause, cancel_);
      r.state = JobState::running;
      tell(i);
      if (!job.problem.empty()) throw Error(Error::Kind::input, job.problem);
      const auto key = render_key(job, options_);
      const auto also = also_files(r.output);
      if (auto before = options_.only_changed ? record_->find(r.output, also, key) : std::nullopt) {
        r = std::move(*before);
      } else {
        r.also = also;
        render(i, job, r);
        record_->keep(r, key);
      }
      if (options_.target)
        for (const Miss& miss : misses(*options_.target, r.render.after))
          r.missed.push_back(miss_text(miss));
      r.state = JobState::done;
      r.progress = 1;
    } catch (const Cancelled&) {
      r.state = JobState::cancelled;
    } catch (...) {
      r.state = JobState::failed;
      const Problem problem = caught_problem();
      // An Error names what it is about; where memory is short the others may still fit.
      if (problem.cause == Cause::memory)
        r.problem = fmt::format(
            "{}: the memory is not enough for it; close other programs, or render fewer clips at a "
            "time.",
            job.clip);
      else
        r.problem = problem.cause == Cause::other ? fmt::format("{}: {}", job.clip, problem.text)
                                                  : problem.text;
    }
    tell(i);
  }

  void render(size_t i, const BatchJob& job, JobResult& r) {
    RenderRequest request{job.plan, r.output, options_.container, options_.samples, {}};
    request.length = options_.length;
    // One clip leaves cores idle; many keep them busy by themselves.
    request.side_thread = jobs_.size() == 1;
    for (size_t f = 0; f < options_.also.size(); ++f)
      request.also.push_back({r.also[f], options_.also[f].container, options_.also[f].samples});
    if (needs_room_tone(job.plan)) {
      if (!request.plan.sound.has_room_tone() && job.find_room_tone) {
        request.plan.sound.room_tone = find_room_tone(request.plan.sound, cancel_);
        r.room_tone_found = request.plan.sound.room_tone.has_value();
      }
      r.room_tone = request.plan.sound.room_tone;
    }
    make_folder(r.output.parent_path());
    for (const auto& file : r.also) make_folder(file.parent_path());
    // The same length and rate say little: its content tells whether it is the file that the reel means.
    const auto known = job.plan.sound.facts.hash;
    const bool changed = known != 0 && hash_file(job.plan.sound.file, &cancel_) != known;
    auto told = Clock::now();
    r.render = render_clip(request, store_, cancel_, [&](double p) {
      r.progress = p;
      wait_while_paused(options_.pause, cancel_);
      if (Clock::now() - told < std::chrono::milliseconds(50)) return;
      told = Clock::now();
      tell(i);
    });
    r.whole = r.render.whole;
    if (!changed) return;
    r.whole = false;
    r.render.warnings.push_back(
        fmt::format("{} has changed since the reel was saved; check that it is the file that is "
                    "meant. Saving the reel after Clip, Find the source takes it as it is.",
                    job.plan.sound.file.string()));
  }

  std::span<const BatchJob> jobs_;
  const BatchOptions& options_;
  FindingStore& store_;
  const CancelToken& cancel_;
  const BatchUpdate& update_;
  std::vector<JobResult> results_;
  std::optional<BatchRecord> record_;
  std::atomic<size_t> next_{0};
  std::mutex mutex_;
};

}  // namespace

std::vector<JobResult> run_batch(std::span<const BatchJob> jobs, const BatchOptions& options,
                                 FindingStore& store, const CancelToken& cancel,
                                 const BatchUpdate& update) {
  const auto wrong = [](Container c, SampleType t) {
    return c == Container::flac && t == SampleType::float32;
  };
  if (wrong(options.container, options.samples) ||
      std::ranges::any_of(options.also,
                          [&](const OutputFormat& f) { return wrong(f.container, f.samples); }))
    throw Error(Error::Kind::call, "FLAC cannot hold 32-bit float; choose 16 or 24 bits, or WAV.");
  return Batch(jobs, options, store, cancel, update).run();
}

}  // namespace drevan
