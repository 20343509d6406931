// SPDX-License-Identifier: GPL-3.0-or-later
// A generated reel of some hours, and stop-watches, for the benchmarks of long work.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>

#include "media/writer.h"
#include "reel/reel.h"
#include "support/sounds.h"
#include "support/steps.h"

namespace drevan::bench {

using Clock = std::chrono::steady_clock;

inline double ms_since(Clock::time_point then) {
  return std::chrono::duration<double, std::milli>(Clock::now() - then).count();
}

// Best of a few: these machines are noisy.
template <class Work>
double best_ms(int times, Work&& work) {
  double best = 1e9;
  for (int i = 0; i < times; ++i) {
    const auto then = Clock::now();
    work();
    best = std::min(best, ms_since(then));
  }
  return best;
}

// One long source a group, cut into clips as an editor leaves them: uneven, with handles between.
inline Reel made_reel(const test::TempFolder& folder, int clips, double hours) {
  Reel reel;
  reel.name = "Long";
  constexpr int groups = 8;
  const auto frames = static_cast<Samples>(hours * 3600 * 48000 / groups);
  const AudioBuffer words = test::words(0.2, 30);
  AudioBuffer loop = test::noise(0.001, 31, 3);
  test::add(loop, words, 1);
  std::vector<Source> sources;
  for (int g = 0; g < groups; ++g) {
    const auto file = folder / fmt::format("voice-{}-{:.0f}.wav", g, hours * 10);
    if (!std::filesystem::exists(file)) {
      AudioWriter writer(file, {Container::wav, SampleType::int16, 48000, 1}, frames, {});
      for (Samples done = 0; done < frames; done += loop.frames())
        writer.write(loop.block(0, static_cast<int>(std::min(loop.frames(), frames - done))));
      writer.commit();
    }
    Source s{file, frames, 48000, 1, static_cast<std::uint64_t>(g + 1)};
    sources.push_back(s);
  }
  for (int i = 0; i < clips; ++i) {
    // One by one each would ask where all others end.
    if (i < groups) {
      add_clip(reel, sources[static_cast<size_t>(i)], fmt::format("Speaker {}", i));
    } else {
      reel.clips.push_back(reel.clips[static_cast<size_t>(i % groups)]);
      reel.clips.back().id = new_clip_id(reel);
      reel.clips.back().place = ReelTime{reel.clips[static_cast<size_t>(i - 1)].place.s + 100};
    }
    Clip& c = reel.clips.back();
    const Samples share = frames * groups / clips;
    c.name = fmt::format("take-{:04}", i);
    c.begin = share * (i / groups);
    c.frames = std::max<Samples>(share * (60 + i * 7 % 40) / 100, 48000);
    if (c.begin + c.frames > frames) c.frames = frames - c.begin;
    c.room_tone = ClipRange{0.1, 0.9};
    c.chain.steps = {test::with("normalise", {}), test::with("noise-reduction", {}),
                     test::with("cut", {}), test::with("compressor", {}),
                     test::with("normalise", {})};
  }
  for (auto& g : reel.groups.each()) g.chain.steps = {test::with("de-ess", {})};
  return reel;
}

}  // namespace drevan::bench
