// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/mix_levels.h"

#include <algorithm>
#include <cmath>

#include "audio/hash.h"
#include "engine/planning/plan.h"

namespace drevan {

namespace {

constexpr int block_frames = 8192;
// As wide at half its height as the 3 s with hard ends are.
constexpr double short_term_reach_s = 1.5;

class WholeMeter {
 public:
  explicit WholeMeter(StreamFormat format) : levels_(format, Detail::full), course_(format) {}
  void hear(const AudioBlock& block) {
    levels_.hear(block);
    course_.hear(block);
  }
  WholeLevels whole(std::uint64_t key) const {
    return {key, levels_.levels(), std::make_shared<const SoundCourse>(course_.course())};
  }

 private:
  LevelMeter levels_;
  SoundCourseMeter course_;
};

}  // namespace

std::uint64_t mix_key(const Reel& reel) {
  Hasher hash;
  hash.add(sum_key(reel));
  hash.add(stage_keys(plan_of(ClipSound{}, reel.mix.chain)).back());
  return hash.value();
}

WholeLevels measure_mix(const Reel& reel, const Source& sum, FindingStore& store,
                        const CancelToken& cancel, const Progress& progress) {
  const Reel with = with_bus_source(reel, mix_clip_id, sum);
  const ClipPlan plan = plan_of(with, with.mix);
  const SoundShape leaves = stages_of(plan, ClipReader(plan.sound).shape()).back().shape;
  WholeMeter meter({leaves.rate, leaves.channels, block_frames});
  RingTrim trim(leaves.frames, [&](const AudioBlock& b) { meter.hear(b); });
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  options.progress = progress;
  process_clip(plan, options, [&](const AudioBlock& b) { trim.hear(b); });
  return meter.whole(mix_key(reel));
}

WholeLevels measure_whole_file(const std::filesystem::path& file, double rate,
                               const CancelToken& cancel, const Progress& progress) {
  const auto reader = open_audio(file, rate);
  const MediaInfo& info = reader->info();
  WholeMeter meter({rate, info.channels, block_frames});
  AudioBuffer buffer(info.channels, block_frames);
  Samples done = 0;
  while (true) {
    cancel.check();
    const int n = reader->read(buffer.block());
    meter.hear(buffer.block().part(0, n));
    done += n;
    if (progress && info.frames > 0)
      progress(std::min(1.0, static_cast<double>(done) / static_cast<double>(info.frames)));
    if (n < block_frames) break;
  }
  return meter.whole(hash_file(file, &cancel));
}

double short_term_at(const SoundCourse& course, double s) {
  const auto cell = [](double at) { return std::lround(at / SoundCourse::cell_s); };
  const auto size = std::ssize(course.loudness_lufs);
  const auto from = std::clamp<std::ptrdiff_t>(cell(s - short_term_reach_s), 0, size),
             to = std::clamp<std::ptrdiff_t>(cell(s + short_term_reach_s) + 1, 0, size);
  double power = 0;
  for (auto i = from; i < to; ++i)
    power += std::pow(10.0, static_cast<double>(course.loudness_lufs[static_cast<size_t>(i)]) / 10);
  // What lies before the beginning and behind the end is silence.
  const double all = 2 * short_term_reach_s / SoundCourse::cell_s + 1;
  const double nothing = static_cast<double>(SoundCourse::nothing_db);
  return power > 0 ? std::max(nothing, 10 * std::log10(power / all)) : nothing;
}

}  // namespace drevan
