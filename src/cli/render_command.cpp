// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <unistd.h>

#include <charconv>
#include <chrono>
#include <cstdio>

#include "audio/error.h"
#include "audio/time_text.h"
#include "batch/mix.h"
#include "batch/report.h"
#include "batch/rules.h"
#include "cli/commands.h"
#include "measure/room_tone.h"
#include "reel/library/source_files.h"
#include "reel/edits/takes.h"

namespace drevan::cli {

std::optional<ClipRange> parse_room_tone(const std::string& text) {
  if (text == "auto" || text == "none") return std::nullopt;
  const auto dash = text.find('-', 1);
  ClipRange r;
  const auto number = [&](std::string_view part, ClipTime& out) {
    const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), out.s);
    return error == std::errc{} && end == part.data() + part.size();
  };
  const std::string_view view = text;
  if (dash == std::string::npos || !number(view.substr(0, dash), r.begin) ||
      !number(view.substr(dash + 1), r.end) || r.begin.s < 0 || r.end <= r.begin)
    throw Error(Error::Kind::call,
                fmt::format("--room-tone {} is not START-END in seconds, auto or none.", text));
  if (r.length().s < least_room_tone_s)
    throw Error(Error::Kind::call,
                fmt::format("--room-tone {} is too short to learn from; take at least {} s.", text,
                            least_room_tone_s));
  return r;
}

bool tell_clips(const std::vector<JobResult>& clips) {
  bool failed = false;
  for (const auto& clip : clips) {
    failed = failed || clip.state != JobState::done || !clip.whole;
    for (const auto& w : clip.render.warnings) complain("{}\n", w);
    if (clip.state == JobState::failed) complain("{} It is left out of the mix.\n", clip.problem);
  }
  return failed;
}

namespace {

Error wrong(const std::string& what) { return {Error::Kind::call, what}; }

std::pair<int, int> parse_share(const std::string& text) {
  int share = 0, shares = 0;
  char rest = 0;
  if (std::sscanf(text.c_str(), "%d/%d%c", &share, &shares, &rest) != 2 || shares < 1 ||
      share < 1 || share > shares)
    throw wrong(fmt::format("--share {} is not K/N with K from 1 to N.", text));
  return {share, shares};
}

// The reel as the call wants it.
Reel reel_for(const RenderCall& call) {
  Reel reel = load_reel(call.reel);
  if (call.rate > 0) reel.rate = call.rate;
  if (!call.rules.empty()) apply_rules(reel, load_rules(call.rules));
  return reel;
}

std::vector<BatchJob> jobs_for(const RenderCall& call) {
  const auto room = parse_room_tone(call.room_tone);
  const bool find = call.room_tone == "auto";
  std::vector<BatchJob> jobs;
  if (!call.reel.empty()) {
    const Reel reel = reel_for(call);
    jobs = batch_jobs(reel, rendered_clips(reel));
    for (auto& job : jobs) {
      job.find_room_tone = job.find_room_tone && find;
      if (room) job.plan.sound.room_tone = room;
    }
    return jobs;
  }
  if (call.recipe.empty() && call.rules.empty())
    throw wrong("Say what to render with: --recipe FILE, --rules FILE or --reel FILE.");
  if (call.inputs.empty()) throw wrong("Say what to render: name one or more sound files.");
  const auto rules = call.rules.empty() ? std::vector<Rule>{} : load_rules(call.rules);
  const Recipe standard = call.recipe.empty() ? Recipe{} : load_recipe(call.recipe);
  const auto add = [&](const std::filesystem::path& file, const std::filesystem::path& subfolder) {
    const auto name = file.stem().string(), group = subfolder.filename().string();
    // A file's group is the folder it lies in.
    const Rule* rule = rule_for(rules, group, name);
    const Recipe& recipe = rule ? rule->recipe : standard;
    const bool both = rule && (rule->append || rule->keep);
    ClipPlan plan{{file, 0, -1, call.rate > 0 ? call.rate : 48000, room}, {}};
    plan.steps = planned(recipe.chain, plan.sound.rate);
    if (both) plan.steps = planned(standard.chain, plan.sound.rate, plan.steps);
    jobs.push_back({name, group, recipe.name, std::move(plan), find, "", subfolder});
    if (!rule && call.recipe.empty())
      jobs.back().problem = fmt::format(
          "{}: no rule says what to do with it; add one, or give --recipe too.", file.string());
  };
  for (const auto& input : call.inputs) {
    std::error_code error;
    if (!std::filesystem::is_directory(input, error)) {
      add(input, {});
      continue;
    }
    const auto found = media_files(input, call.out);
    if (found.empty())
      throw wrong(
          fmt::format("{} holds no sound or video file that no batch has made.", input.string()));
    for (const auto& file : found) add(input / file, file.parent_path());
  }
  return jobs;
}

// A bar on a terminal, a line per clip elsewhere.
class ProgressLine {
 public:
  explicit ProgressLine(std::span<const BatchJob> jobs)
      : jobs_(jobs),
        weights_(job_weights(jobs)),
        results_(jobs.size()),
        terminal_(::isatty(2) == 1) {}

  void update(size_t i, const JobResult& r) {
    const bool ended = r.state != JobState::waiting && r.state != JobState::running;
    if (ended) ++ended_;
    if (!terminal_) {
      if (ended)
        complain("{}/{} {} {}\n", ended_, jobs_.size(), jobs_[i].clip, state_label(r.state));
      return;
    }
    results_[i].state = r.state;
    results_[i].progress = r.progress;
    const double sum = share_done(weights_, results_);
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
  std::vector<double> weights_;
  std::vector<JobResult> results_;
  bool terminal_;
  size_t ended_ = 0;
  Clock::time_point start_ = Clock::now();
};

OutputFormat parse_format(const std::string& text) {
  const auto colon = text.find(':');
  const auto kind = text.substr(0, colon),
             bits = colon == std::string::npos ? std::string("24") : text.substr(colon + 1);
  if ((kind != "wav" && kind != "flac") || (bits != "16" && bits != "24" && bits != "32f"))
    throw wrong(
        fmt::format("--also {} is not FORMAT:BITS; use wav or flac, and 16, 24 or 32f.", text));
  return {kind == "flac" ? Container::flac : Container::wav, bits == "16"   ? SampleType::int16
                                                             : bits == "24" ? SampleType::int24
                                                                            : SampleType::float32};
}

// What tells of clips has no meaning where none is written.
void check_mix(const RenderCall& call) {
  if (call.room_tone != "auto")
    throw wrong("--room-tone does not go with --mix and --stems; mark it in the reel.");
  if (call.clips) return;
  if (!call.share.empty() || !call.also.empty() || call.resume)
    throw wrong(
        "--share, --also and --resume are about clips; give --clips beside --mix or --stems.");
}

// The reel as mix and stems. Returns whether something failed, and whether the mix misses its target.
std::pair<bool, bool> mix(const RenderCall& call, const BatchOptions& options, FindingStore& store,
                          std::vector<MixFile>& files) {
  const auto result = render_mix(
      reel_for(call), options,
      {call.mix, call.stems, options.target, !call.no_mix_chain, call.kinds}, store, interrupted());
  const bool failed = tell_clips(result.clips);
  bool missed = false;
  for (const auto& file : result.files) {
    const auto level = [](const std::optional<double>& v) {
      return v ? fmt::format("{:.1f}", *v) : std::string("none");
    };
    say("{} -> {}: peak {} dBFS, loudness {} LUFS{}\n", file.name, file.output.string(),
        level(file.levels.sample_peak_dbfs), level(file.levels.loudness_lufs),
        file.clipped > 0 ? fmt::format(", {} samples clipped", file.clipped) : "");
    if (!file.chain.empty()) say("    through the mix chain: {}\n", fmt::join(file.chain, ", "));
    for (const auto& w : file.warnings) complain("{}\n", w);
    for (const auto& m : file.missed) say("    misses the target: {}\n", m);
    missed = missed || !file.missed.empty();
  }
  files = result.files;
  return {failed, missed};
}

void print(const BatchJob& job, const JobResult& r) {
  for (const auto& w : r.render.warnings) complain("{}\n", w);
  if (r.state == JobState::failed) {
    complain("{}\n", r.problem);
    return;
  }
  if (r.state != JobState::done) return;
  std::string room;
  if (r.room_tone)
    room = fmt::format(", room tone {:.2f}-{:.2f} s{}", r.room_tone->begin.s, r.room_tone->end.s,
                       r.room_tone_found ? " (found)" : "");
  const auto level = [](const std::optional<double>& v) {
    return v ? fmt::format("{:.1f}", *v) : std::string("none");
  };
  if (r.kept) room += ", unchanged";
  say("{} -> {}: peak {} dBFS, loudness {} LUFS, noise floor {} dBFS{}\n", job.clip,
      r.output.string(), level(r.render.after.sample_peak_dbfs),
      level(r.render.after.loudness_lufs), level(r.render.after.noise_floor_dbfs), room);
  for (const auto& m : r.missed) say("    misses the target: {}\n", m);
}

void report(const RenderCall& call, const Report& what,
            std::span<const std::filesystem::path> sources) {
  if (call.report.empty()) return;
  const auto file = free_report_name(call.report, sources, call.overwrite);
  if (file != call.report)
    complain("{} is no report of Drevan's, so it stays; the report is {}.\n", call.report.string(),
             file.string());
  save_report(file, what);
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
  options.length = call.length == "same" ? RenderLength::same : RenderLength::ring;
  options.workers = call.jobs;
  if (!call.target.empty()) options.target = find_target(call.target);
  const auto extension = call.report.extension();
  if (!call.report.empty() && extension != ".json" && extension != ".csv" && extension != ".html")
    throw wrong(fmt::format("--report {}: name it FILE.html, FILE.json or FILE.csv.",
                            call.report.string()));
  for (const auto& text : call.also) options.also.push_back(parse_format(text));

  options.only_changed = call.resume;
  options.overwrite = call.overwrite;
  FindingStore store;
  bool failed = false, missed = false;
  std::vector<MixFile> files;
  if (call.mix || call.stems || call.kinds) {
    check_mix(call);
    std::tie(failed, missed) = mix(call, options, store, files);
    if (!call.clips) {
      report(call, {{}, {}, options.target, files}, source_files(load_reel(call.reel)));
      return failed ? some_failed : missed ? misses_target : ok;
    }
  }
  auto jobs = jobs_for(call);
  if (!call.share.empty()) {
    const auto [share, shares] = parse_share(call.share);
    jobs = share_of(jobs, options, share, shares);
    options.part = fmt::format("{}-of-{}", share, shares);
  }
  for (const auto& file : settle_names(jobs, options).foreign)
    complain(
        "{} is there and was made by no batch of Drevan, so it stays, and the new file gets a "
        "number; --overwrite replaces it.\n",
        file.string());
  ProgressLine line(jobs);
  const auto results = run_batch(jobs, options, store, interrupted(),
                                 [&](size_t i, const JobResult& r) { line.update(i, r); });
  if (interrupted().cancelled()) throw Cancelled{};
  for (size_t i = 0; i < jobs.size(); ++i) {
    print(jobs[i], results[i]);
    failed = failed || results[i].state != JobState::done || !results[i].whole;
    missed = missed || !results[i].missed.empty();
  }
  std::vector<std::filesystem::path> sources;
  for (const auto& job : jobs) sources.push_back(job.plan.sound.file);
  if (!jobs.empty() && jobs[0].protects)
    sources.insert(sources.end(), jobs[0].protects->begin(), jobs[0].protects->end());
  report(call, {jobs, results, options.target, files}, sources);
  return failed ? some_failed : missed ? misses_target : ok;
}

}  // namespace drevan::cli
