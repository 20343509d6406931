// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/level_path.h"

#include <algorithm>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/sums.h"
#include "engine/rendering/side_listener.h"
#include "measure/spectrum.h"

namespace drevan {

std::optional<Levels> LevelStore::get(std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  const auto at = levels_.find(key);
  return at == levels_.end() ? std::nullopt : std::optional(at->second);
}

void LevelStore::put(std::uint64_t key, const Levels& levels) {
  const std::lock_guard lock(mutex_);
  if (levels_.size() > 20000) levels_.clear();
  levels_[key] = levels;
}

namespace {

// Sums for the gain g that makes |g * before - after| least: <before, after> / <before, before>, where
// blocks count by their power: what noise reduction takes from the quiet ones is no gain.
class FittedGain {
 public:
  explicit FittedGain(const ClipSound& sound) : before_(sound), buffer_(before_.channels(), 4096) {}
  // On another thread: a source that cannot be read on leaves the sums as they are.
  void hear(const AudioBlock& after) noexcept {
    try {
      compare(after);
    } catch (const Error&) {
    }
  }
  double gain() const { return own_ > 1e-18 ? cross_ / own_ : 1.0; }

 private:
  void compare(const AudioBlock& after) {
    // Only sounds of one shape are like each other.
    if (after.channels() != buffer_.channels()) return;
    for (int done = 0; done < after.frames();) {
      const int want = std::min(after.frames() - done, 4096);
      const int n = before_.read(buffer_.block(0, want));
      if (n == 0) return;
      for (int c = 0; c < after.channels(); ++c) {
        const auto b = buffer_.channel(c).first(static_cast<size_t>(n));
        const double power = sum_of_squares(b);
        cross_ += power * sum_of_products(after.channel(c).subspan(static_cast<size_t>(done)), b);
        own_ += power * power;
      }
      done += n;
    }
  }
  ClipReader before_;
  AudioBuffer buffer_;
  double cross_ = 0, own_ = 0;
};

// The power of two sides summed against the sum of their powers.
class MonoSum {
 public:
  void hear(const AudioBlock& block) {
    if (block.channels() != 2) return;
    const auto left = block.channel(0), right = block.channel(1);
    each_ += sum_of_squares(left) + sum_of_squares(right);
    cross_ += sum_of_products(left, right);
  }
  std::optional<double> db() const {
    if (each_ <= 0) return std::nullopt;
    return power_to_db(std::max(1 + 2 * cross_ / each_, 1e-6));
  }

 private:
  double each_ = 0, cross_ = 0;
};

// Levels measured before, if all that is wanted is among them.
std::optional<Levels> known(const LevelPathOptions& options, std::uint64_t key, bool last) {
  auto levels = options.levels->get(key);
  const bool enough = levels && (!last || !options.true_peak || levels->true_peak_dbtp ||
                                 !levels->sample_peak_dbfs);
  return enough ? levels : std::nullopt;
}

}  // namespace

LevelPath measure_level_path(const ClipPlan& plan, const LevelPathOptions& options) {
  LevelPath path;
  path.keys = stage_keys(plan);
  const size_t last = plan.steps.size();
  const ClipReader probe(plan.sound);
  const auto channels = stage_channels(plan.steps, probe.channels());
  const auto stages = stages_of(plan, probe.shape());
  const auto format_of = [&](size_t stage) {
    return StreamFormat{probe.shape().rate, channels[stage], 4096};
  };

  // Stages measured before need no second look; the ones whose spectra are wanted do.
  const auto measured = [&](size_t s) {
    return known(options, path.keys[s], s == last).has_value();
  };
  size_t first = 0;
  while (first < last && measured(first)) ++first;
  if (options.focus) first = std::min(first, *options.focus);

  std::vector<std::optional<LevelMeter>> meters(last + 1);
  for (size_t s = first; s <= last; ++s)
    if (!measured(s))
      meters[s].emplace(format_of(s),
                        s == last && options.true_peak ? Detail::peaks : Detail::quick,
                        stages[s].shape.frames);
  const size_t focus = options.focus.value_or(0);
  SpectrumMeter in(format_of(focus)), out(format_of(std::min(focus + 1, last)));
  auto after = std::make_shared<PeakPyramid>();
  FittedGain fitted(plan.sound);
  MonoSum mono;

  // The last line hears what the chain gives in the end.
  const size_t result = last + 1;
  const StreamFormat widest{probe.shape().rate, *std::ranges::max_element(channels), 4096};
  SideListener side(widest, [&](size_t line, const AudioBlock& b) {
    if (line == result) {
      after->hear(b);
      fitted.hear(b);
      mono.hear(b);
      return;
    }
    if (meters[line]) meters[line]->hear(b);
    if (options.focus && line == *options.focus) in.hear(b);
    if (options.focus && line == *options.focus + 1) out.hear(b);
  });
  ProcessOptions process;
  process.store = options.store;
  process.cache = options.cache;
  process.cancel = options.cancel;
  process.progress = options.progress;
  process.first_tap = first;
  process.tap = [&](size_t stage, const AudioBlock& b) { side.tell(stage, b); };
  auto done = process_clip(plan, process, [&](const AudioBlock& b) { side.tell(result, b); });
  side.finish();
  after->finish();
  for (size_t s = 0; s <= last; ++s)
    if (meters[s]) options.levels->put(path.keys[s], meters[s]->levels());
  for (size_t s = 0; s <= last; ++s) {
    path.stages.push_back(options.levels->get(path.keys[s]).value_or(Levels{}));
    if (s > 0 && path.first_over == 0 && path.stages[s].sample_peak_dbfs.value_or(-1) > 0)
      path.first_over = s;
  }
  path.after = std::move(after);
  path.findings = std::move(done.findings);
  path.sounds = std::move(done.stages);
  path.rewritten = std::move(done.rewritten);
  path.rewritten_stage = done.rewritten_stage;
  path.sides = std::move(done.sides);
  if (path.sounds.back().from_clip.identity()) path.fitted_gain = fitted.gain();
  path.mono_sum_db = mono.db();
  path.spectrum_in = in.power();
  path.spectrum_out = out.power();
  return path;
}

Levels measure_result(const ClipPlan& plan, size_t reuse_stage, const LevelPathOptions& options) {
  const auto key = stage_keys(plan).back();
  if (const auto levels = known(options, key, true)) return *levels;
  const SoundShape out = stages_of(plan, ClipReader(plan.sound).shape()).back().shape;
  LevelMeter meter({out.rate, out.channels, 4096},
                   options.true_peak ? Detail::peaks : Detail::quick, out.frames);
  ProcessOptions process;
  process.store = options.store;
  process.cache = options.cache;
  process.keep_only = reuse_stage;
  process.first_tap = plan.steps.size();
  process.cancel = options.cancel;
  process.progress = options.progress;
  process_clip(plan, process, [&](const AudioBlock& b) { meter.hear(b); });
  const Levels levels = meter.levels();
  options.levels->put(key, levels);
  return levels;
}

}  // namespace drevan
