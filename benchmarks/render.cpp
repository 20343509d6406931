// SPDX-License-Identifier: GPL-3.0-or-later
// A render as a whole process, one job: ten minutes of a voice through noise reduction, cut,
// compressor and normalise, measured before and behind and written as 24-bit WAV, beside a
// libavfilter graph of the same kinds whose output is dropped, alone and between two of
// libavfilter's loudness and true-peak meters; then where Drevan's time goes, two hours of stereo
// for the memory, and a batch of 24 clips by one worker and by two. Usage: render [--quick |
// --ratios]
#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <stdexcept>
#include <vector>

#include "engine/rendering/process.h"
#include "measured.h"
#include "measure/levels.h"
#include "media/peaks.h"
#include "media/reader.h"
#include "support/steps.h"
#include "voice.h"

namespace {

using namespace drevan;
using bench::Measured;
using bench::measured;

constexpr const char* graph =
    "afftdn=nr=12:nf=-50,highpass=f=80:poles=2,"
    "acompressor=threshold=-15dB:ratio=3:attack=5:release=120,alimiter=limit=0.708:level=false";
constexpr const char* metered =
    "ebur128=peak=true,afftdn=nr=12:nf=-50,highpass=f=80:poles=2,"
    "acompressor=threshold=-15dB:ratio=3:attack=5:release=120,alimiter=limit=0.708:level=false,"
    "ebur128=peak=true";

Chain chain() {
  return {{test::with("noise-reduction", {{"depth_db", 12}}), test::with("cut", {{"low_hz", 80}}),
           test::with("compressor",
                      {{"threshold_db", -15}, {"ratio", 3}, {"attack_ms", 5}, {"release_ms", 120}}),
           test::with("normalise", {{"target_db", -3}})}};
}

void cli(const std::string& arguments) {
  const auto command = fmt::format("{} {} >/dev/null 2>&1", DREVAN_CLI, arguments);
  if (std::system(command.c_str()) != 0) throw std::runtime_error(command + " failed");
}

double median(std::vector<double> v) {
  std::ranges::sort(v);
  return v[v.size() / 2];
}

// Seconds of one part of a render, alone.
double seconds_of(const std::function<void()>& work) {
  std::vector<double> all;
  for (int i = 0; i < 3; ++i) all.push_back(measured(work).seconds);
  return median(all);
}

void hear_all(const std::filesystem::path& file,
              const std::function<void(const AudioBlock&)>& how) {
  const auto reader = open_audio(file);
  AudioBuffer buffer(reader->info().channels, 4096);
  for (int n = 0; (n = reader->read(buffer.block())) > 0;) how(buffer.block(0, n));
}

// Each part reads the file as well; that is taken off.
void print_parts(const std::filesystem::path& voice, const std::filesystem::path& out,
                 double minutes) {
  const double read = seconds_of([&] { hear_all(voice, [](const AudioBlock&) {}); });
  const auto say = [&](const char* what, double s) {
    fmt::print("  {:<40} {:.4f} s per minute of mono\n", what, s / minutes);
  };
  fmt::print("Where the time goes:\n");
  say("reading", read);
  say("the chain, heard twice for normalise",
      seconds_of([&] {
        FindingStore store;
        const CancelToken never;
        ProcessOptions options;
        options.store = &store;
        options.cancel = &never;
        process_clip(plan_of({voice, 0, -1, 48000, ClipRange{0.1, 0.9}}, chain()), options,
                     [](const AudioBlock&) {});
      }) - read);
  for (const auto& [what, detail] : {std::pair{"levels before", Detail::quick},
                                     std::pair{"levels after, with true peak", Detail::full}})
    say(what, seconds_of([&, d = detail] {
                LevelMeter meter({48000, 1, 4096}, d);
                hear_all(voice, [&](const AudioBlock& b) { meter.hear(b); });
              }) - read);
  say("an outline", seconds_of([&] {
                      Outline outline(static_cast<Samples>(minutes * 60 * 48000));
                      hear_all(voice, [&](const AudioBlock& b) { outline.hear(b); });
                    }) - read);
  say("writing 24 bit",
      seconds_of([&] {
        AudioWriter writer(out, {Container::wav, SampleType::int24, 48000, 1}, 0, {});
        hear_all(voice, [&](const AudioBlock& b) { writer.write(b); });
        writer.commit();
      }) - read);
}

}  // namespace

int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::strcmp(argv[1], "--quick") == 0;
  const double minutes = quick ? 2 : 10;
  const test::TempFolder temp;
  const auto voice = temp / "voice.wav", recipe = temp / "chain.recipe";
  measured([&] {
    bench::write_voice(voice, minutes * 60, 1, SampleType::float32);
    save_recipe({"Voice", "", chain(), {}}, recipe);
  });
  const auto render = [&](const std::filesystem::path& input, const char* more) {
    cli(fmt::format("render --recipe {} --room-tone 0.1-0.9 --overwrite --out {} {} {}",
                    recipe.string(), (temp / "out").string(), more, input.string()));
  };
  // Turn by turn, and the ratios in the middle: these machines change their speed every few
  // seconds.
  std::vector<double> plain, meters, ours;
  for (int round = 0; round < 5; ++round) {
    const double now = measured([&] { render(voice, "--jobs 1"); }).seconds;
    ours.push_back(now);
    plain.push_back(measured([&] { bench::run_graph(voice, graph); }).seconds / now);
    meters.push_back(measured([&] { bench::run_graph(voice, metered); }).seconds / now);
  }
  fmt::print("{:.0f} minutes of mono, drevan-cli render --jobs 1: {:.2f} s, {:.0f} x real time\n",
             minutes, median(ours), minutes * 60 / median(ours));
  fmt::print("  {:.2f} times as fast as the plain graph (goal: 3)\n", median(plain));
  fmt::print("  {:.2f} times as fast as the graph between two meters (goal: 5)\n", median(meters));
  if (argc > 1 && std::strcmp(argv[1], "--ratios") == 0) return 0;
  print_parts(voice, temp / "part.wav", minutes);
  bool good = median(plain) >= 3 && median(meters) >= 5;
  if (!quick) {
    const auto stereo = temp / "stereo.wav";
    measured([&] { bench::write_voice(stereo, 7200, 2, SampleType::int16); });
    // system() waits for its children: the largest of them is theirs.
    const Measured two = measured([&] { render(stereo, "--jobs 1"); });
    fmt::print("2 hours of stereo: {:.1f} s\n", two.seconds);
  }
  std::string clips;
  for (int i = 0; i < 24; ++i) {
    const auto file = temp / fmt::format("clip-{}.wav", i);
    std::filesystem::copy_file(voice, file);
    clips += file.string() + " ";
    if (quick && i == 7) break;
  }
  std::vector<double> gain;
  for (int round = 0; round < 3; ++round) {
    const double one = measured([&] { render(clips, "--jobs 1"); }).seconds;
    gain.push_back(one / measured([&] { render(clips, "--jobs 2"); }).seconds);
  }
  fmt::print("The batch with two workers is {:.2f} times as fast as with one (goal: 1.9)\n",
             median(gain));
  return good && median(gain) >= 1.9 ? 0 : 1;
}
