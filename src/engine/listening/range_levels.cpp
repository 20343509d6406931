// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/listening/range_levels.h"

#include <algorithm>

#include "audio/error.h"

namespace drevan {

namespace {

// Hears what of each block lies within a range of frames.
class PartMeter {
 public:
  PartMeter(StreamFormat format, FrameRange range) : meter_(format, Detail::quick), range_(range) {}

  void hear(const AudioBlock& block) {
    const Samples from = std::clamp<Samples>(range_.begin - at_, 0, block.frames());
    const Samples to = std::clamp<Samples>(range_.end - at_, from, block.frames());
    if (to > from) meter_.hear(block.part(static_cast<int>(from), static_cast<int>(to - from)));
    at_ += block.frames();
  }
  bool done() const { return at_ >= range_.end; }
  Levels levels() const { return meter_.levels(); }

 private:
  LevelMeter meter_;
  FrameRange range_;
  Samples at_ = 0;
};

struct Enough {};

}  // namespace

RangeLevels measure_range(const ClipPlan& plan, FrameRange range, const LevelPathOptions& options) {
  const SoundShape clip = ClipReader(plan.sound).shape();
  const auto part = [&](const ClipPlan& run) {
    const size_t last = run.steps.size();
    const Stage stage = stages_of(run, clip)[last];
    if (!stage.from_clip.identity())
      throw Error(Error::Kind::call, "The chain changes when things happen.");
    PartMeter meter({clip.rate, stage.shape.channels, 4096}, range);
    ProcessOptions process;
    process.store = options.store;
    process.cache = options.cache;
    process.cancel = options.cancel;
    process.progress = options.progress;
    process.first_tap = last;
    process.tap = [&](size_t tapped, const AudioBlock& block) {
      if (tapped != last) return;
      meter.hear(block);
      if (meter.done()) throw Enough{};
    };
    try {
      process_clip(run, process, {});
    } catch (const Enough&) {
      // What comes after the range does not matter.
    }
    return meter.levels();
  };
  return {part(plan_of(plan.sound, {})), part(plan)};
}

std::vector<FrameRange> overs_of(const PeakPyramid& peaks, double rate) {
  const auto together = static_cast<Samples>(rate * 0.05);
  std::vector<FrameRange> all;
  const auto passes = [&](Samples from, Samples to) {
    const PeakPair pair = peaks.range(from, to);
    return pair.high > 1 || pair.low < -1;
  };
  // Coarse steps first: most of a clip holds none.
  constexpr Samples coarse = PeakPyramid::cell * 256, fine = PeakPyramid::cell * 4;
  for (Samples at = 0; at < peaks.frames(); at += coarse) {
    if (!passes(at, std::min(at + coarse, peaks.frames()))) continue;
    for (Samples cell = at; cell < std::min(at + coarse, peaks.frames()); cell += fine) {
      const Samples end = std::min(cell + fine, peaks.frames());
      if (!passes(cell, end)) continue;
      if (!all.empty() && cell - all.back().end < together)
        all.back().end = end;
      else
        all.push_back({cell, end});
    }
  }
  return all;
}

}  // namespace drevan
