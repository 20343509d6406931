#include "batch/mix.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "batch/record.h"
#include "batch/temporary_folder.h"
#include "reel/source_files.h"
#include "reel/takes.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

constexpr int block = MixRun::block;

void require_places(const Reel& reel) {
  for (const auto& c : reel.clips)
    if (!(c.place_s >= 0 && c.place_s <= latest_place_s))
      throw Error(Error::Kind::call,
                  fmt::format("{} stands at {} s; a clip may begin at 0 to {:.0f} s. Move it.",
                              c.name, c.place_s, latest_place_s));
}

// Every clip through its chains into a file of its own in `through.folder`.
struct RenderedClips {
  std::vector<JobResult> results;
  std::vector<PlacedSound> placed;  // of those that could be rendered
};

RenderedClips render_clips(const Reel& reel, BatchOptions through, FindingStore& store,
                           const CancelToken& cancel, const Progress& progress) {
  require_places(reel);
  const auto ids = rendered_clips(reel);
  auto jobs = batch_jobs(reel, ids);
  for (size_t i = 0; i < jobs.size(); ++i) {
    jobs[i].clip = fmt::format("clip-{}", ids[i]);
    jobs[i].plan.sound.place_s.reset();  // so that a clip that only moves stays as it is
  }
  through.pattern = "{clip}";
  through.samples = SampleType::float32;
  RenderedClips out;
  out.results.resize(jobs.size());
  out.results = run_batch(jobs, through, store, cancel, [&](size_t i, const JobResult& r) {
    out.results[i] = r;
    if (progress) progress(share_done(jobs, out.results));
  });
  cancel.check();
  for (size_t i = 0; i < jobs.size(); ++i) {
    const JobResult& r = out.results[i];
    if (r.state != JobState::done) continue;
    const Clip& clip = *reel.find(ids[i]);
    const ClipSound sound{r.output, 0, -1, reel.rate, {}};
    PlacedSound placed;
    placed.shape = ClipReader(sound).shape();
    // What comes before its beginning begins earlier.
    placed.begin = std::llround(clip.place_s * reel.rate) - r.render.lead;
    placed.group = static_cast<size_t>(clip.group);
    placed.open = [sound] { return std::make_unique<ClipReader>(sound); };
    out.placed.push_back(std::move(placed));
  }
  if (out.placed.empty())
    throw Error(Error::Kind::input, "No clip could be rendered, so there is nothing to mix.");
  return out;
}

// What is summed and written: the mix, or a group's stem.
struct Bus {
  MixFile file;
  Part part{};
  std::unique_ptr<AudioWriter> writer{};
  std::unique_ptr<LevelMeter> meter{};  // where its file is what is delivered
  AudioBuffer sum{};
};

// Sums all into the buses, from the reel's beginning to its end.
void write_sums(MixRun& run, std::vector<Bus>& buses, const std::atomic<bool>* pause,
                const CancelToken& cancel, const Progress& progress) {
  std::vector<Part> parts;
  for (auto& bus : buses) parts.push_back(bus.part);
  for (auto& bus : buses) bus.sum = AudioBuffer(run.channels(), block);
  run.seek(0);
  while (run.position() < run.end()) {
    wait_while_paused(pause, cancel);
    const auto n = static_cast<int>(std::min<Samples>(block, run.end() - run.position()));
    std::vector<AudioBlock> sums;
    for (auto& bus : buses) sums.push_back(bus.sum.block(0, n));
    run.next(sums, parts);
    for (size_t i = 0; i < buses.size(); ++i) {
      buses[i].writer->write(sums[i]);
      if (buses[i].meter) buses[i].meter->hear(sums[i]);
    }
    if (progress) progress(static_cast<double>(run.position()) / static_cast<double>(run.end()));
  }
}

Bus float_bus(const fs::path& file, const MixRun& run, double rate) {
  Bus bus;
  bus.writer = std::make_unique<AudioWriter>(
      file, WriteFormat{Container::wav, SampleType::float32, rate, run.channels()}, run.end(),
      SourceMarks{"", 0});
  return bus;
}

// The files to be made, by their names, which are settled together.
std::vector<MixFile> named_files(const Reel& reel, std::span<const PlacedSound> placed,
                                 const BatchOptions& options, const MixOptions& what,
                                 std::vector<Part>& parts) {
  std::vector<BatchJob> jobs;
  std::vector<MixFile> out;
  const auto protects = std::make_shared<const std::vector<fs::path>>(source_files(reel));
  const auto add = [&](const std::string& of, const Part& part) {
    jobs.push_back({fmt::format("{} {}", reel.name, of), of, reel.name, {}, false, {}});
    jobs.back().protects = protects;
    out.push_back({of, part.has_value(), {}, {}, 0, {}});
    parts.push_back(part);
  };
  if (what.mix) add("mix", std::nullopt);
  for (size_t g = 0; what.stems && g < reel.groups.size(); ++g)
    if (std::ranges::any_of(placed, [&](const PlacedSound& s) { return s.group == g; }))
      add(reel.groups[g].name, g);
  BatchOptions naming = options;
  naming.pattern = "{clip}";
  naming.also.clear();
  const auto names = output_names(jobs, naming);
  for (size_t i = 0; i < out.size(); ++i) out[i].output = names[i];
  return out;
}

// What entered as a file leaves through the mix chain.
void through_mix_chain(const Reel& reel, const fs::path& sum, const BatchOptions& options,
                       MixFile& file, FindingStore& store, const CancelToken& cancel,
                       const Progress& progress) {
  ClipSound sound{sum, 0, -1, reel.rate, {}};
  sound.place_s = 0;
  RenderRequest request{plan_of(std::move(sound), reel.mix.chain), file.output, options.container,
                        options.samples};
  request.side_thread = true;
  const auto done = render_clip(request, store, cancel, progress);
  file.levels = done.after;
  file.before = done.before;
  file.clipped = done.clipped;
  file.warnings = done.warnings;
  for (const auto& step : reel.mix.chain.steps)
    if (step.on) file.chain.emplace_back(step.type->label);
}

// A part of a whole progress.
Progress part_of(const Progress& whole, double from, double to) {
  if (!whole) return {};
  return [=](double p) { whole(from + p * (to - from)); };
}

}  // namespace

MixResult render_mix(const Reel& reel, const BatchOptions& options, const MixOptions& what,
                     FindingStore& store, const CancelToken& cancel, const Progress& progress) {
  if (options.container == Container::flac && options.samples == SampleType::float32)
    throw Error(Error::Kind::call, "FLAC cannot hold 32-bit float; choose 16 or 24 bits, or WAV.");
  const TemporaryFolder temporary(fs::absolute(options.folder), "mix");
  BatchOptions through;
  through.folder = temporary.path();
  through.workers = options.workers;
  through.pause = options.pause;
  const bool chain =
      what.mix && what.mix_chain && std::ranges::any_of(reel.mix.chain.steps, &ChainStep::on);
  auto clips = render_clips(reel, through, store, cancel, part_of(progress, 0, chain ? 0.6 : 0.8));
  MixResult result;
  result.clips = std::move(clips.results);
  for (auto& clip : result.clips) clip.output.clear();  // on its way only

  std::vector<Part> parts;
  result.files = named_files(reel, clips.placed, options, what, parts);
  MixRun run(std::move(clips.placed));
  make_folder(options.folder);
  BatchRecord record(options.folder, options.part, BatchRecord::Use::writing);
  const fs::path sum = temporary.path() / "sum.wav";
  std::vector<Bus> buses;
  for (size_t i = 0; i < parts.size(); ++i) {
    if (chain && !parts[i]) {
      buses.push_back(float_bus(sum, run, reel.rate));
    } else {
      Bus& bus = buses.emplace_back();
      bus.writer = std::make_unique<AudioWriter>(
          result.files[i].output,
          WriteFormat{options.container, options.samples, reel.rate, run.channels()}, run.end(),
          SourceMarks{"", 0});
      bus.meter = std::make_unique<LevelMeter>(StreamFormat{reel.rate, run.channels(), block},
                                               Detail::full);
    }
    buses.back().part = parts[i];
  }
  write_sums(run, buses, options.pause, cancel,
             part_of(progress, chain ? 0.6 : 0.8, chain ? 0.7 : 1));
  for (size_t i = 0; i < buses.size(); ++i) {
    buses[i].writer->commit();
    MixFile& file = result.files[i];
    if (buses[i].meter) {
      file.levels = buses[i].meter->levels();
      file.clipped = buses[i].writer->clipped();
    } else {
      through_mix_chain(reel, sum, options, file, store, cancel, part_of(progress, 0.7, 1));
    }
    record.keep(file.output);
    if (what.target && !file.stem)
      for (const Miss& miss : misses(*what.target, file.levels))
        file.missed.push_back(miss_text(miss));
  }
  return result;
}

std::uint64_t sum_key(const Reel& reel) {
  Hasher h;
  h.add(reel.rate);
  Planner planner(reel);
  for (const int id : rendered_clips(reel)) {
    const Clip& clip = *reel.find(id);
    h.add(stage_keys(planner.plan(clip)).back()).add(clip.place_s).add(clip.id);
  }
  return h.value();
}

Source render_sum(const Reel& reel, const fs::path& file, FindingStore& store,
                  const CancelToken& cancel, const Progress& progress) {
  BatchOptions through;
  through.folder = file.parent_path();
  through.only_changed = true;
  auto clips = render_clips(reel, through, store, cancel, part_of(progress, 0, 0.9));
  MixRun run(std::move(clips.placed));
  std::vector<Bus> buses;
  buses.push_back(float_bus(file, run, reel.rate));
  write_sums(run, buses, nullptr, cancel, part_of(progress, 0.9, 1));
  buses[0].writer->commit();
  return {file, run.end(), reel.rate, run.channels(), 0};
}

}  // namespace drevan
