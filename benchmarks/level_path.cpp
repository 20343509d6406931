// SPDX-License-Identifier: GPL-3.0-or-later
// How soon the level path of a one-minute clip shows a change (goal: half a second), early and late
// in a five-step chain, and how soon a turned knob would be measured again and again.
#include <fmt/format.h>

#include <chrono>

#include "engine/listening/level_path.h"
#include "support/sounds.h"

namespace {

using namespace drevan;

Chain five_steps() {
  Chain chain;
  for (const char* id : {"normalise", "noise-reduction", "cut", "compressor", "normalise"})
    chain.steps.push_back(make_step(id));
  return chain;
}

double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

}  // namespace

int main() {
  const test::TempFolder temp;
  std::vector<AudioBuffer> parts{test::silence(1)};
  for (const char* name : {"demo-congrats", "demo-instruct", "demo-moreinfo"}) {
    parts.push_back(test::speech(name));
    parts.push_back(test::silence(0.8));
  }
  AudioBuffer voice = test::join(parts);
  AudioBuffer minute(1, 60 * 48000);
  for (double at = 0; at < 60; at += static_cast<double>(voice.frames()) / 48000)
    test::add(minute, voice, at);
  test::add(minute, test::noise(0.003, 60, 3), 0);
  test::write_wav(temp / "minute.wav", minute);

  const ClipSound sound{temp / "minute.wav", 0, -1, 48000, ClipRange{0.1, 0.9}};
  Chain chain = five_steps();
  FindingStore store;
  LevelStore levels;
  StageStore cache;
  const CancelToken never;
  LevelPathOptions options;
  options.store = &store;
  options.levels = &levels;
  options.cache = &cache;
  options.cancel = &never;
  const auto measure = [&](std::optional<size_t> focus) {
    options.focus = focus;
    return seconds([&] { measure_level_path(plan_of(sound, chain), options); });
  };
  fmt::print("a clip of one minute, normalise, noise reduction, cut, compressor, normalise\n");
  fmt::print("first time                      {:5.0f} ms\n", measure(std::nullopt) * 1000);
  double worst = 0;
  const auto change = [&](const char* what, size_t step, size_t parameter, double value,
                          double then) {
    chain.steps[step].settings.values[parameter] = value;
    double best = measure(step);
    chain.steps[step].settings.values[parameter] = then;
    best = std::min(best, measure(step));
    worst = std::max(worst, best);
    fmt::print("{:<32}{:5.0f} ms\n", what, best * 1000);
  };
  change("the last goal", 4, 1, -6, -7);
  change("the compressor's threshold", 3, 1, -20, -22);
  change("the cut's corner", 2, 0, 100, 110);
  change("the noise reduction's depth", 1, 0, 10, 8);
  change("the first goal", 0, 1, -5, -4);
  fmt::print("worst {:.0f} ms (goal: 500)\n", worst * 1000);
  return worst < 0.5 ? 0 : 1;
}
