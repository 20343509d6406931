// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/mix_sums.h"

#include <fmt/format.h>

#include <algorithm>
#include <mutex>
#include <numeric>

#include "audio/decibel.h"
#include "audio/parallel.h"
#include "engine/rendering/render.h"
#include "reel/scene/sends.h"

namespace drevan {

namespace fs = std::filesystem;

PlacedSound sound_of(const fs::path& file, double rate) {
  const ClipSound sound{file, 0, -1, rate, {}};
  PlacedSound out;
  out.file = file;
  out.shape = ClipReader(sound).shape();
  out.open = [sound] { return std::make_unique<ClipReader>(sound); };
  return out;
}

bool has_part(std::span<const PlacedSound> placed, const Part& part) {
  return std::ranges::any_of(placed, [&](const auto& s) { return part.share_of(s) != 0; });
}

MixBus float_bus(const fs::path& file, const MixRun& run, double rate) {
  MixBus bus;
  bus.writer = std::make_unique<AudioWriter>(
      file, WriteFormat{Container::wav, SampleType::float32, rate, run.channels()}, run.end(),
      SourceMarks{"", 0});
  return bus;
}

void write_sums(MixRun& run, std::vector<MixBus>& buses, const std::atomic<bool>* pause,
                const CancelToken& cancel, const Progress& progress) {
  std::vector<Part> parts;
  for (auto& bus : buses) parts.push_back(bus.part);
  for (auto& bus : buses) bus.sum = AudioBuffer(run.channels(), MixRun::block);
  run.seek(0);
  while (run.position() < run.end()) {
    wait_while_paused(pause, cancel);
    const auto n = static_cast<int>(std::min<Samples>(MixRun::block, run.end() - run.position()));
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

Progress part_of(const Progress& whole, double from, double to) {
  if (!whole) return {};
  return [=](double p) { whole(from + p * (to - from)); };
}

ClipPlan bus_file_plan(const Reel& reel, const fs::path& sum, const Chain& chain) {
  ClipSound sound{sum, 0, -1, reel.rate, {}};
  sound.place = ReelTime{0};
  return plan_of(std::move(sound), chain);
}

void write_sum(MixRun& run, const Part& part, const fs::path& file, double rate,
               const std::atomic<bool>* pause, const CancelToken& cancel,
               const Progress& progress) {
  std::vector<MixBus> buses;
  buses.push_back(float_bus(file, run, rate));
  buses[0].part = part;
  write_sums(run, buses, pause, cancel, progress);
  buses[0].writer->commit();
}

namespace {

// A sound through steps, as another one that begins where it does.
PlacedSound through_steps(const PlacedSound& from, std::vector<PlannedStep> steps,
                          const fs::path& file, const OnTheWay& way) {
  ClipPlan plan{ClipSound{from.file, 0, -1, way.reel.rate, {}}, std::move(steps)};
  const auto done = render_clip({std::move(plan), file, Container::wav, SampleType::float32},
                                way.store, way.cancel);
  PlacedSound out = sound_of(file, way.reel.rate);
  out.begin = from.begin - done.lead;
  return out;
}

}  // namespace

std::vector<PlacedSound> fed_into(SpaceId space, std::span<const PlacedSound> placed,
                                  const OnTheWay& way) {
  std::vector<PlacedSound> out;
  for (const PlacedSound& s : placed) {
    const auto feed = std::ranges::find(s.feeds, space, &Feed::space);
    if (feed == s.feeds.end()) continue;
    PlacedSound fed = s;
    if (!feed->amount.empty())
      fed = through_steps(s, feed->amount,
                          way.folder / fmt::format("space{}-fed{}.wav", space, out.size()), way);
    fed.feeds = {*feed};
    out.push_back(std::move(fed));
  }
  return out;
}

namespace {

// Direct and early sound of each at its own place, and of their sum what rings on.
void add_at_places(const Space& space, const fs::path& in, std::span<const PlacedSound> fed,
                   const fs::path& out, const OnTheWay& way, const Progress& progress) {
  const auto name = [&](const std::string& what) {
    return way.folder / fmt::format("space{}-{}.wav", space.clip.id, what);
  };
  const auto late = late_of(planned(space.clip.chain, way.reel.rate));
  std::vector<PlacedSound> all;
  all.push_back(through_steps(sound_of(in, way.reel.rate), {late.front()}, name("late"), way));
  for (size_t i = 0; i < fed.size(); ++i) {
    const Feed& feed = fed[i].feeds.front();
    all.push_back(through_steps(fed[i], feed.place, name(fmt::format("early{}", i)), way));
    all.back().gain = feed.gain;
    if (progress) progress(static_cast<double>(i + 1) / static_cast<double>(fed.size()));
  }
  MixRun run(std::move(all));
  write_sum(run, {}, out, way.reel.rate, way.pause, way.cancel, {});
}

// What is fed into a space, through its chain, as one more sound of the mix.
PlacedSound through_space(const Space& space, std::span<const PlacedSound> placed,
                          const OnTheWay& way, std::vector<std::string>& warnings,
                          const Progress& progress) {
  const SpaceId id = space.id();
  const auto fed = fed_into(id, placed, way);
  MixRun run(fed);
  fs::path in = way.folder / fmt::format("space{}-in.wav", id);
  const fs::path out = way.folder / fmt::format("space{}.wav", id);
  write_sum(run, {.of = Part::Of::feed, .space = id}, in, way.reel.rate, way.pause, way.cancel,
            part_of(progress, 0, 0.2));
  ClipPlan plan = bus_file_plan(way.reel, in, space.clip.chain);
  if (has_own_places(way.reel, space)) {
    const fs::path placed_in = way.folder / fmt::format("space{}-placed.wav", id);
    add_at_places(space, in, fed, placed_in, way, part_of(progress, 0.2, 0.5));
    plan.sound.file = placed_in;
    plan.steps.erase(plan.steps.begin());
  }
  const auto done = render_clip({std::move(plan), out, Container::wav, SampleType::float32},
                                way.store, way.cancel, part_of(progress, 0.5, 1));
  warnings = done.warnings;
  PlacedSound heard = sound_of(out, way.reel.rate);
  heard.begin = -done.lead;
  heard.space = id;
  heard.gain = static_cast<float>(from_db(space.level_db));
  return heard;
}

}  // namespace

void add_spaces(std::vector<PlacedSound>& placed, const OnTheWay& way,
                std::vector<std::string>& warnings, const Progress& progress) {
  std::vector<const Space*> fed;
  for (const Space& space : way.reel.spaces)
    if (has_part(placed, {.of = Part::Of::feed, .space = space.id()})) fed.push_back(&space);
  std::vector<PlacedSound> heard(fed.size());
  std::vector<std::vector<std::string>> told(fed.size());
  std::mutex mutex;
  std::vector<double> shares(fed.size());
  on_all_cores(fed.size(), way.cancel, [&](size_t i) {
    heard[i] = through_space(*fed[i], placed, way, told[i], [&](double share) {
      const std::lock_guard lock(mutex);
      shares[i] = share / static_cast<double>(fed.size());
      if (progress) progress(std::reduce(shares.begin(), shares.end()));
    });
  });
  for (size_t i = 0; i < fed.size(); ++i) {
    placed.push_back(std::move(heard[i]));
    warnings.insert(warnings.end(), told[i].begin(), told[i].end());
  }
}

}  // namespace drevan
