// SPDX-License-Identifier: GPL-3.0-or-later
// The two ways of the pitch step on six real voices: how true the pitch is, what becomes of the
// formants and of the voice's clearness, what a shift there and back leaves, and how fast they are;
// any sound against the library's own tool.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>

#include "support/speech_metrics.h"
#include "support/steps.h"

namespace {

using namespace drevan;
using namespace drevan::test;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

ChainStep pitch(int way, double shift) {
  return with("pitch", {{"way", way}, {"shift_st", shift}});
}

// Median over the frames where both have a pitch, cents off what was asked for.
double cents_off(std::span<const float> before, std::span<const float> after, double shift) {
  const auto a = pitches(before), b = pitches(after);
  std::vector<double> off;
  for (size_t i = 0; i < std::min(a.size(), b.size()); ++i)
    if (a[i] > 0 && b[i] > 0) off.push_back(1200 * std::log2(b[i] / a[i]) - 100 * shift);
  std::ranges::sort(off);
  return off.empty() ? 1e9 : off[off.size() / 2];
}

void compare_ways(const std::vector<AudioBuffer>& voices, const std::vector<std::string>& names) {
  fmt::print("{:<20}{:>6} {:>18}{:>18}{:>24}{:>16}\n", "voice", "st", "cents off", "envelope, dB",
             "HNR (before), dB", "STOI, and back");
  double speed[2] = {0, 0};
  for (size_t v = 0; v < voices.size(); ++v)
    for (const double shift : {-5.0, -2.0, 2.0, 5.0}) {
      double cents[2], distance[2], clear[2], back[2];
      for (const int way : {0, 1}) {
        AudioBuffer x = voices[v];
        const auto begin = Clock::now();
        run_step(pitch(way, shift), x);
        speed[way] += seconds_since(begin);
        cents[way] = cents_off(voices[v].channel(0), x.channel(0), shift);
        distance[way] = envelope_distance_db(voices[v].channel(0), x.channel(0));
        clear[way] = harmonicity_db(x.channel(0));
        run_step(pitch(way, -shift), x);
        back[way] = stoi(voices[v].channel(0), x.channel(0));
      }
      fmt::print(
          "{:<20}{:>6} {:>8.1f} {:>8.1f} {:>8.2f} {:>8.2f} {:>7.2f} {:>7.2f} ({:>5.2f}) {:>7.3f} "
          "{:>8.3f}\n",
          names[v], shift, cents[0], cents[1], distance[0], distance[1], clear[0], clear[1],
          harmonicity_db(voices[v].channel(0)), back[0], back[1]);
    }
  const double all = 4 * 10.0 * static_cast<double>(voices.size());
  fmt::print("(each: a voice, any sound)  speed: {:.0f} and {:.1f} x real time\n", all / speed[0],
             all / speed[1]);
}

// In turns, medians of five. As the step asks for it: at one quality whatever the shift, so that it
// can be turned while it plays (the tool's word for that cost is hq).
void compare_with_tool(AudioBuffer sound) {
  const TempFolder folder;
  write_wav(folder / "in.wav", sound);
  std::vector<double> ours, tool;
  for (int turn = 0; turn < 5; ++turn) {
    AudioBuffer x = sound;
    auto begin = Clock::now();
    run_step(pitch(1, 5), x);
    ours.push_back(seconds_since(begin));
    begin = Clock::now();
    const Ran ran = run("rubberband --fine --realtime --formant --pitch-hq --pitch 5 -q '" +
                        (folder / "in.wav").string() + "' '" + (folder / "out.wav").string() + "'");
    tool.push_back(seconds_since(begin));
    if (ran.code != 0) return fmt::print("no rubberband tool: {}\n", ran.out), void();
  }
  std::ranges::sort(ours);
  std::ranges::sort(tool);
  fmt::print("any sound against the library's tool: {:.2f} of its throughput\n", tool[2] / ours[2]);
}

}  // namespace

int main() {
  const std::vector<std::string> names{"en_US_f_Allison",    "fr_CA_f_June",    "it_IT_m_Carlo",
                                       "ru_RU_f_IvrvoiceRU", "it_IT_f_Menardi", "es"};
  std::vector<AudioBuffer> voices;
  for (const auto& name : names) voices.push_back(continuous_speech(name, 10));
  compare_ways(voices, names);
  compare_with_tool(continuous_speech(names[0], 20));
}
