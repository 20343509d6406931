#include <fmt/format.h>
#include <unistd.h>

#include <charconv>
#include <chrono>
#include <csignal>
#include <cstdio>

#include "audio/error.h"
#include "audio/time_text.h"
#include "batch/report.h"
#include "cli/commands.h"
#include "measure/room_tone.h"

namespace drevan::cli {

namespace {

// Set by Ctrl-C; the batch then ends cleanly and leaves no half files.
CancelToken interrupted;
void on_interrupt(int) { interrupted.cancel(); }

Error wrong(const std::string& what) { return {Error::Kind::call, what}; }

std::optional<SecondsRange> parse_room_tone(const std::string& text) {
  if (text == "auto" || text == "none") return std::nullopt;
  const auto dash = text.find('-', 1);
  SecondsRange r;
  const auto number = [&](std::string_view part, double& out) {
    const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), out);
    return error == std::errc{} && end == part.data() + part.size();
  };
  const std::string_view view = text;
  if (dash == std::string::npos || !number(view.substr(0, dash), r.begin) ||
      !number(view.substr(dash + 1), r.end) || r.begin < 0 || r.end <= r.begin)
    throw wrong(fmt::format("--room-tone {} is not START-END in seconds, auto or none.", text));
  if (r.end - r.begin < least_room_tone_s)
    throw wrong(fmt::format("--room-tone {} is too short to learn from; take at least {} s.", text,
                            least_room_tone_s));
  return r;
}

std::vector<BatchJob> jobs_for(const RenderCall& call) {
  const auto room = parse_room_tone(call.room_tone);
  const bool find = call.room_tone == "auto";
  std::vector<BatchJob> jobs;
  if (!call.reel.empty()) {
    Reel reel = load_reel(call.reel);
    if (call.rate > 0) reel.rate = call.rate;
    std::vector<int> ids;
    for (const auto& clip : reel.clips) ids.push_back(clip.id);
    jobs = batch_jobs(reel, ids);
    for (auto& job : jobs) {
      job.find_room_tone = job.find_room_tone && find;
      if (room) job.sound.room_tone = room;
    }
    return jobs;
  }
  if (call.recipe.empty()) throw wrong("Say what to render with: --recipe FILE or --reel FILE.");
  if (call.inputs.empty()) throw wrong("Say what to render: name one or more sound files.");
  const Recipe recipe = load_recipe(call.recipe);
  for (const auto& file : call.inputs)
    jobs.push_back({file.stem().string(), "", recipe.name,
                    {file, 0, -1, call.rate > 0 ? call.rate : 48000, room}, find,
                    active_steps({&recipe.chain}), ""});
  return jobs;
}

// A bar on a terminal, a line per clip elsewhere.
class ProgressLine {
 public:
  explicit ProgressLine(std::span<const BatchJob> jobs)
      : jobs_(jobs), share_(jobs.size()), terminal_(::isatty(2) == 1) {}

  void update(size_t i, const JobResult& r) {
    const bool ended = r.state != JobState::waiting && r.state != JobState::running;
    share_[i] = ended ? 1 : r.progress;
    if (ended) ++ended_;
    if (!terminal_) {
      if (ended)
        fmt::print(stderr, "{}/{} {} {}\n", ended_, jobs_.size(), jobs_[i].clip, state_label(r.state));
      return;
    }
    double sum = 0;
    for (const double s : share_) sum += s;
    sum /= static_cast<double>(jobs_.size());
    const double so_far = std::chrono::duration<double>(Clock::now() - start_).count();
    const double left = time_left(sum, so_far);
    const auto full = static_cast<size_t>(sum * 30);
    fmt::print(stderr, "\r[{}{}] {:3.0f} %  {} of {}  {}\x1b[K", std::string(full, '='),
               std::string(30 - full, ' '), sum * 100, ended_, jobs_.size(),
               left < 0 ? "" : length_text(left) + " left");
    if (ended_ == jobs_.size()) fmt::print(stderr, "\n");
    std::fflush(stderr);
  }

 private:
  using Clock = std::chrono::steady_clock;
  std::span<const BatchJob> jobs_;
  std::vector<double> share_;
  bool terminal_;
  size_t ended_ = 0;
  Clock::time_point start_ = Clock::now();
};

void print(const BatchJob& job, const JobResult& r) {
  for (const auto& w : r.render.warnings) fmt::print(stderr, "{}\n", w);
  if (r.state == JobState::failed) {
    fmt::print(stderr, "{}\n", r.problem);
    return;
  }
  if (r.state != JobState::done) return;
  std::string room;
  if (r.room_tone)
    room = fmt::format(", room tone {:.2f}-{:.2f} s{}", r.room_tone->begin, r.room_tone->end,
                       r.room_tone_found ? " (found)" : "");
  const auto level = [](const std::optional<double>& v) {
    return v ? fmt::format("{:.1f}", *v) : std::string("none");
  };
  fmt::print("{} -> {}: peak {} dBFS, loudness {} LUFS, noise floor {} dBFS{}\n", job.clip,
             r.output.string(), level(r.render.after.sample_peak_dbfs),
             level(r.render.after.loudness_lufs), level(r.render.after.noise_floor_dbfs), room);
  for (const auto& m : r.missed) fmt::print("    misses the target: {}\n", m);
}

}  // namespace

int render(const RenderCall& call) {
  BatchOptions options;
  options.folder = call.out;
  options.pattern = call.name;
  options.container = call.format == "flac" ? Container::flac : Container::wav;
  options.samples = call.bits == "16"   ? SampleType::int16
                    : call.bits == "24" ? SampleType::int24
                                        : SampleType::float32;
  options.workers = call.jobs;
  if (!call.target.empty()) options.target = find_target(call.target);
  const auto extension = call.report.extension();
  if (!call.report.empty() && extension != ".json" && extension != ".csv")
    throw wrong(fmt::format("--report {}: name it FILE.json or FILE.csv.", call.report.string()));

  const auto jobs = jobs_for(call);
  std::signal(SIGINT, on_interrupt);
  std::signal(SIGTERM, on_interrupt);
  FindingStore store;
  ProgressLine line(jobs);
  const auto results = run_batch(jobs, options, store, interrupted,
                                 [&](size_t i, const JobResult& r) { line.update(i, r); });
  bool failed = false, missed = false;
  for (size_t i = 0; i < jobs.size(); ++i) {
    print(jobs[i], results[i]);
    failed = failed || results[i].state != JobState::done;
    missed = missed || !results[i].missed.empty();
  }
  if (!call.report.empty()) save_report(call.report, jobs, results);
  return failed ? some_failed : missed ? misses_target : ok;
}

}  // namespace drevan::cli
