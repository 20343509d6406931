// SPDX-License-Identifier: GPL-3.0-or-later
// Ten minutes of a voice through the five kinds of step that a voice gets, beside a libavfilter
// graph of the same kinds in the same run, both single-threaded and reading the same file; then
// two hours of stereo for the memory. Usage: voice_chain [--quick | --profile]; the latter runs Drevan's part
// alone in this process, for perf.
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <vector>

#include "engine/rendering/render.h"
#include "measured.h"
#include "voice.h"
#include "media/reader.h"
#include "support/steps.h"

namespace {

using namespace drevan;
using bench::Measured;
using bench::measured;

Chain voice_chain() {
  return {{test::with("noise-reduction", {{"depth_db", 12}}),
           test::with("cut", {{"low_hz", 80}, {"low_slope_db", 0}}),
           test::with("equaliser", {{"band4_hz", 500}, {"band4_gain_db", -3}}),
           test::with("compressor",
                      {{"threshold_db", -15}, {"ratio", 3}, {"attack_ms", 5}, {"release_ms", 120}}),
           test::with("normalise", {{"target_db", -3}})}};
}
constexpr const char* libav_chain =
    "afftdn=nr=12:nf=-50,highpass=f=80:poles=2,equalizer=f=500:t=q:w=1:g=-3,"
    "acompressor=threshold=-15dB:ratio=3:attack=5:release=120,alimiter=limit=0.708:level=false";

ClipSound sound_of(const std::filesystem::path& file) {
  return {file, 0, -1, 48000, ClipRange{0.1, 0.9}};
}

void run_drevan(const std::filesystem::path& file) {
  FindingStore store;
  const CancelToken never;
  ProcessOptions options;
  options.store = &store;
  options.cancel = &never;
  process_clip(plan_of(sound_of(file), voice_chain()), options, [](const AudioBlock&) {});
}

void render_drevan(const std::filesystem::path& file, const std::filesystem::path& out) {
  FindingStore store;
  const CancelToken never;
  render_clip({plan_of(sound_of(file), voice_chain()), out}, store, never);
}

void print(const char* what, const Measured& m, double seconds, double against) {
  fmt::print("{:<46} {:7.2f} s  {:6.0f} x real time  {:5.0f} MB  {:5.2f} x the graph\n", what,
             m.seconds, seconds / m.seconds, m.peak_mb, against / m.seconds);
}

}  // namespace

int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::strcmp(argv[1], "--quick") == 0;
  const bool profile = argc > 1 && std::strcmp(argv[1], "--profile") == 0;
  const double seconds = quick ? 60 : 600;
  const test::TempFolder temp;
  const auto voice = temp / "voice.wav";
  measured([&] { bench::write_voice(voice, seconds, 1, SampleType::float32); });
  if (profile) {
    for (int i = 0; i < 12; ++i) run_drevan(voice);
    return 0;
  }
  Measured libav, chain, render;
  // In turns, and the best of each (of two where files are written). The ratio is the median over
  // turns: these machines change their speed every few seconds.
  std::vector<double> ratios;
  for (int round = 0; round < 7; ++round) {
    const auto best = [&](Measured& kept, const Measured& now) {
      if (round == 0 || now.seconds < kept.seconds) kept = now;
      return now.seconds;
    };
    const double theirs = best(libav, measured([&] { bench::run_graph(voice, libav_chain); }));
    ratios.push_back(theirs / best(chain, measured([&] { run_drevan(voice); })));
    if (round < 2) best(render, measured([&] { render_drevan(voice, temp / "out.wav"); }));
  }
  std::ranges::sort(ratios);
  const double ratio = ratios[ratios.size() / 2];
  fmt::print("{:.0f} minutes of mono at 48 kHz, single-threaded\n", seconds / 60);
  print("libavfilter graph, output dropped", libav, seconds, libav.seconds);
  print("Drevan, output dropped", chain, seconds, libav.seconds);
  print("Drevan, measured and written as 24-bit WAV", render, seconds, libav.seconds);
  fmt::print(
      "Turn by turn Drevan was {:.2f} to {:.2f} times as fast, {:.2f} in the middle (goal: 4)\n",
      ratios.front(), ratios.back(), ratio);
  if (quick) return 0;

  const auto stereo = temp / "stereo.wav";
  measured([&] { bench::write_voice(stereo, 7200, 2, SampleType::int16); });
  const Measured two_hours = measured([&] { render_drevan(stereo, temp / "stereo-out.wav"); });
  fmt::print(
      "2 hours of stereo, measured and written: {:.1f} s, peak memory {:.0f} MB (goal: below "
      "300)\n",
      two_hours.seconds, two_hours.peak_mb);
  return ratio >= 4 && two_hours.peak_mb < 300 ? 0 : 1;
}
