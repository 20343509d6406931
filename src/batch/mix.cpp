// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/mix.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "batch/mix_sums.h"
#include "batch/record.h"
#include "batch/temporary_folder.h"
#include "reel/files/scene_json.h"
#include "reel/library/source_files.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

constexpr int block = MixRun::block;

void require_places(const Reel& reel) {
  for (const auto& c : reel.clips)
    if (!(c.place.s >= 0 && c.place.s <= latest_place_s))
      throw Error(Error::Kind::call,
                  fmt::format("{} stands at {} s; a clip may begin at 0 to {:.0f} s. Move it.",
                              c.name, c.place.s, latest_place_s));
}

// Every clip through its chains into a file of its own in `through.folder`.
struct RenderedClips {
  std::vector<JobResult> results;
  std::vector<PlacedSound> placed;  // of those that could be rendered
};

// Which crossfades they have: with all that they cross, or among themselves alone.
enum class Crossed { with_all, among_them };

void uncross_others(const Reel& reel, std::span<const ClipId> ids, std::vector<BatchJob>& jobs) {
  const Crossings crossings(reel);
  const auto other = [&](ClipId id) { return std::ranges::find(ids, id) == ids.end(); };
  for (size_t i = 0; i < jobs.size(); ++i) {
    const Clip& clip = *reel.find(ids[i]);
    if (const Crossing* c = crossings.into(clip.id); c && other(c->before))
      jobs[i].plan.sound.fade_in = sound_fade(clip.fade_in);
    if (const Crossing* c = crossings.out_of(clip.id); c && other(c->after))
      jobs[i].plan.sound.fade_out = sound_fade(clip.fade_out);
  }
}

RenderedClips render_clips(const Reel& reel, std::span<const ClipId> ids, ChainOwner last,
                           BatchOptions through, FindingStore& store, const CancelToken& cancel,
                           const Progress& progress, Crossed crossed = Crossed::with_all) {
  require_places(reel);
  auto jobs = batch_jobs(reel, ids, last);
  if (crossed == Crossed::among_them) uncross_others(reel, ids, jobs);
  for (size_t i = 0; i < jobs.size(); ++i) {
    jobs[i].clip = fmt::format("clip-{}", ids[i]);
    jobs[i].plan.sound.place.reset();  // so that a clip that only moves stays as it is
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
    PlacedSound placed = sound_of(r.output, reel.rate);
    // What comes before its beginning begins earlier.
    placed.begin = frame_of(clip.place, reel.rate) - r.render.lead;
    placed.group = clip.group;
    placed.kind = reel.group_of(clip).kind;
    placed.direct = heard_direct(reel, clip);
    placed.feeds = feeds_of(reel, clip, static_cast<double>(r.render.lead) / reel.rate);
    out.placed.push_back(std::move(placed));
  }
  if (out.placed.empty())
    throw Error(Error::Kind::input, "No clip could be rendered, so there is nothing to mix.");
  return out;
}

// The files to be made, by their names, which are settled together.
std::vector<MixFile> named_files(const Reel& reel, std::span<const PlacedSound> placed,
                                 const BatchOptions& options, const MixOptions& what,
                                 std::vector<Part>& parts) {
  std::vector<BatchJob> jobs;
  std::vector<MixFile> out;
  const auto protects = std::make_shared<const std::vector<fs::path>>(source_files(reel));
  const auto add = [&](const std::string& of, const Part& part) {
    const bool stem = part.of != Part::Of::everything;
    if (stem && !has_part(placed, part)) return;
    jobs.push_back({fmt::format("{} {}", reel.name, of), of, reel.name, {}, false, {}});
    jobs.back().protects = protects;
    out.push_back({of, stem, {}, {}, 0, {}});
    parts.push_back(part);
  };
  if (what.mix) add("mix", {});
  for (const Group& group : reel.groups)
    if (what.stems) add(group.name, {.of = Part::Of::group, .group = group.id});
  for (const GroupKind kind : {GroupKind::dialogue, GroupKind::effects, GroupKind::music})
    if (what.kinds) add(std::string(group_kind_name(kind)), {.of = Part::Of::kind, .kind = kind});
  for (const Space& space : reel.spaces)
    if (what.stems || what.kinds)
      add(space.clip.name, {.of = Part::Of::space, .space = space.id()});
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
  RenderRequest request{bus_file_plan(reel, sum, reel.mix.chain), file.output, options.container,
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
  auto ids = rendered_clips(reel);
  if (!what.only.empty())
    std::erase_if(ids,
                  [&](ClipId id) { return std::ranges::find(what.only, id) == what.only.end(); });
  auto clips = render_clips(reel, ids, ChainOwner::reel, through, store, cancel,
                            part_of(progress, 0, chain ? 0.55 : 0.7));
  MixResult result;
  result.clips = std::move(clips.results);
  for (auto& clip : result.clips) clip.output.clear();  // on its way only
  std::vector<std::string> of_spaces;
  add_spaces(clips.placed, {reel, temporary.path(), options.pause, store, cancel}, of_spaces,
             part_of(progress, chain ? 0.55 : 0.7, chain ? 0.6 : 0.8));

  std::vector<Part> parts;
  result.files = named_files(reel, clips.placed, options, what, parts);
  MixRun run(std::move(clips.placed));
  make_folder(options.folder);
  BatchRecord record(options.folder, options.part, BatchRecord::Use::writing);
  const fs::path sum = temporary.path() / "sum.wav";
  std::vector<MixBus> buses;
  for (size_t i = 0; i < parts.size(); ++i) {
    if (chain && parts[i] == Part{}) {
      buses.push_back(float_bus(sum, run, reel.rate));
    } else {
      MixBus& bus = buses.emplace_back();
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
    if (!file.stem) file.warnings.insert(file.warnings.begin(), of_spaces.begin(), of_spaces.end());
    record.keep(file.output);
    if (what.target && !file.stem)
      for (const Miss& miss : misses(*what.target, file.levels))
        file.missed.push_back(miss_text(miss));
  }
  return result;
}

std::uint64_t sum_key(const Reel& reel, ClipId bus) {
  Hasher h;
  h.add(reel.rate).add(bus);
  Planner planner(reel);
  for (const ClipId id : rendered_clips(reel)) {
    const Clip& clip = *reel.find(id);
    h.add(stage_keys(planner.plan(clip)).back()).add(clip.place.s).add(clip.id);
    h.add(heard_direct(reel, clip));
    h.add(key_of(feeds_of(reel, clip)));
  }
  if (bus != mix_clip_id) return h.value();
  for (const Space& space : reel.spaces)
    h.add(space.clip.id)
        .add(space.level_db)
        .add(stage_keys(bus_file_plan(reel, {}, space.clip.chain)).back());
  return h.value();
}

Source render_sum(const Reel& reel, const fs::path& file, FindingStore& store,
                  const CancelToken& cancel, const Progress& progress, ClipId bus) {
  BatchOptions through;
  through.folder = file.parent_path();
  through.only_changed = true;
  auto clips = render_clips(reel, rendered_clips(reel), ChainOwner::reel, through, store, cancel,
                            part_of(progress, 0, 0.8));
  Part part;
  std::optional<TemporaryFolder> aside;
  if (bus == mix_clip_id) {
    std::vector<std::string> warnings;
    aside.emplace(through.folder, "spaces");
    add_spaces(clips.placed, {reel, aside->path(), nullptr, store, cancel}, warnings,
               part_of(progress, 0.8, 0.9));
  } else {
    const SpaceId id = space_of(bus);
    part = {.of = Part::Of::feed, .space = id};
    aside.emplace(through.folder, "fed");
    clips.placed = fed_into(id, clips.placed, {reel, aside->path(), nullptr, store, cancel});
    const Space* space = find_space(reel, id);
    if (clips.placed.empty())
      throw Error(Error::Kind::call,
                  fmt::format("Nothing is fed into {} yet; send a clip or a group to it.",
                              space ? space->clip.name : "that space"));
  }
  MixRun run(std::move(clips.placed));
  write_sum(run, part, file, reel.rate, nullptr, cancel, part_of(progress, 0.9, 1));
  return {file, run.end(), reel.rate, run.channels(), 0};
}

RenderedPart render_part(const Reel& reel, std::span<const ClipId> clips, ChainOwner last,
                         const fs::path& file, FindingStore& store, const CancelToken& cancel,
                         const Progress& progress) {
  BatchOptions through;
  const TemporaryFolder temporary(fs::absolute(file).parent_path(), "part");
  through.folder = temporary.path();
  auto rendered = render_clips(reel, clips, last, through, store, cancel, part_of(progress, 0, 0.9),
                               Crossed::among_them);
  for (const JobResult& r : rendered.results)
    if (r.state == JobState::failed) throw Error(Error::Kind::input, r.problem);
  const Samples begin =
      std::max<Samples>(0, std::ranges::min(rendered.placed, {}, &PlacedSound::begin).begin);
  for (PlacedSound& placed : rendered.placed) {
    placed.begin -= begin;
    placed.direct = true;
    placed.feeds.clear();
  }
  MixRun run(std::move(rendered.placed));
  write_sum(run, {}, file, reel.rate, nullptr, cancel, part_of(progress, 0.9, 1));
  return {examine_source(file, &cancel), moment_of<ReelClock>(begin, reel.rate)};
}

}  // namespace drevan
