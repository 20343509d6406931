// SPDX-License-Identifier: GPL-3.0-or-later
// Every step alone, with its standard settings and its first starting point: seconds of mono sound
// at 48 kHz per second of computing, by Google Benchmark; and as a yardstick the transforms alone
// (2048 points there and back, four to a window) of a noise reduction.
#include <benchmark/benchmark.h>

#include "audio/denormals.h"
#include "dsp/fft.h"
#include "engine/rendering/chain_run.h"
#include "steps/catalogue.h"
#include "support/sounds.h"

namespace {

using namespace drevan;

// Words in a room that hisses and hums: every step has something to do.
AudioBuffer programme() {
  AudioBuffer sound = test::words(0.3, 4);
  test::add(sound, test::noise(0.003, 4, 3), 0);
  for (const double hz : {50.0, 100.0, 150.0, 250.0}) test::add(sound, test::sine(hz, 0.01, 4), 0);
  return sound;
}

void run_transforms(benchmark::State& state) {
  const RealFft fft(2048);
  FloatVector time(2048);
  ComplexVector bins(1025);
  for (auto _ : state) {
    for (int hop = 0; hop < 8; ++hop) {
      fft.forward(time, bins);
      fft.inverse(bins, time);
    }
    benchmark::DoNotOptimize(time.data());
  }
  state.counters["x_real_time"] = benchmark::Counter(
      static_cast<double>(state.iterations()) * 4096 / 48000, benchmark::Counter::kIsRate);
}

void run_step(benchmark::State& state, const StepType* type, const Settings& settings) {
  const StreamFormat format{48000, 1, 4096};
  AudioBuffer sound = programme();
  Findings found;
  if (type->learn) {
    const auto learner = type->learn(settings, format);
    for (Samples at = 0; at + 4096 <= sound.frames(); at += 4096)
      learner->hear(sound.block(at, 4096));
    found = learner->findings();
  }
  const auto processor = make_processor(*type, settings, found, format);
  const FlushDenormals flush;
  AudioBuffer block(std::max(1, channels_out(*type, settings, 1)), 4096);
  Samples at = 0;
  for (auto _ : state) {
    std::ranges::copy(sound.channel(0).subspan(static_cast<size_t>(at), 4096),
                      block.channel(0).begin());
    processor->process(block.block());
    at = at + 8192 <= sound.frames() ? at + 4096 : 0;
    benchmark::DoNotOptimize(block.channel(0).data());
  }
  state.counters["x_real_time"] = benchmark::Counter(
      static_cast<double>(state.iterations()) * 4096 / 48000, benchmark::Counter::kIsRate);
}

}  // namespace

int main(int argc, char** argv) {
  benchmark::RegisterBenchmark("transforms alone", run_transforms);
  // Rewriters are no streams: `benchmarks/voice_chain` and `render` show what they cost.
  for (const auto* type : drevan::catalogue())
    if (type->make) {
      const std::string id(type->id);
      benchmark::RegisterBenchmark(id.c_str(), run_step, type, standard_settings(*type));
      // A list that settles how it works: each of its entries.
      const auto& list = type->parameters[0];
      for (size_t k = 1; list.fixed && k < list.choices.size(); ++k) {
        Settings settings = standard_settings(*type);
        settings.values[0] = static_cast<double>(k);
        benchmark::RegisterBenchmark((id + ", " + std::string(list.choices[k].label)).c_str(),
                                     run_step, type, settings);
      }
      if (type->starting_points.empty()) continue;
      const auto& point = type->starting_points[0];
      benchmark::RegisterBenchmark((id + ", " + std::string(point.name)).c_str(), run_step, type,
                                   settings_of(*type, point));
    }
  // A source that stands and one that walks round the listener, on headphones.
  const auto& acoustics = *find_step("acoustics");
  for (const bool walks : {false, true}) {
    Settings settings = standard_settings(acoustics);
    const auto put = [&](const char* id, double value) {
      settings.values[static_cast<size_t>(parameter_index(acoustics, id))] = value;
    };
    put("listener", 0);
    put("path", walks ? 1 : 0);
    benchmark::RegisterBenchmark(walks ? "acoustics, walking" : "acoustics, headphones", run_step,
                                 &acoustics, settings);
  }
  // A stereo response of three seconds.
  const std::filesystem::path file =
      std::filesystem::temp_directory_path() / "drevan benchmark response.wav";
  AudioBuffer response = test::noise(0.1, 3, 1, 48000, 2);
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0; i < response.channel(c).size(); ++i)
      response.channel(c)[i] *= static_cast<float>(std::exp(-2.3 * static_cast<double>(i) / 48000));
  test::write_wav(file, response);
  const auto& convolution = *find_step("convolution");
  Settings settings = settings_of(convolution, convolution.starting_points[0]);
  settings.texts[0] = file.string();
  benchmark::RegisterBenchmark("convolution, 3 s", run_step, &convolution, settings);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  benchmark::Shutdown();
  std::filesystem::remove(file);
}
