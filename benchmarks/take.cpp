// SPDX-License-Identifier: GPL-3.0-or-later
// How fast a long take is heard, and how soon other limits show their cuts.
// Usage: take
#include <fmt/format.h>

#include "engine/recording/take.h"
#include "long_reel.h"
#include "support/sounds.h"

namespace {

using namespace drevan;
using namespace drevan::bench;

constexpr double file_s = 600, long_s = 7200;

AudioBuffer words_over_noise(double seconds) {
  AudioBuffer loop = test::noise(0.002, 11, 5);
  test::add(loop, test::words(0.2, 7), 1);
  AudioBuffer out(1, static_cast<Samples>(seconds * 48000));
  for (Samples at = 0; at < out.frames(); at += loop.frames())
    for (Samples i = 0; i < std::min(loop.frames(), out.frames() - at); ++i)
      out.channel(0)[static_cast<size_t>(at + i)] = loop.channel(0)[static_cast<size_t>(i)];
  return out;
}

}  // namespace

int main() {
  const test::TempFolder folder;
  AudioBuffer sound = words_over_noise(file_s);
  test::write_wav(folder / "take.wav", sound, 48000, SampleType::int24);
  const CancelToken never{};
  ClipSound sound_of;
  sound_of.file = folder / "take.wav";
  const double heard_ms = best_ms(3, [&] { hear_take(sound_of, never); });
  fmt::print("A take of ten minutes is heard in {:.0f} ms, {:.0f} x real time (goal: 400)\n",
             heard_ms, file_s * 1000 / heard_ms);

  RoomEar ear({48000, 1, 48000});
  AudioBuffer minute = words_over_noise(60);
  for (int i = 0; i < static_cast<int>(long_s / 60); ++i)
    for (Samples at = 0; at < minute.frames(); at += 48000) ear.hear(minute.block(at, 48000));
  const HeardTake take{out_of_room(ear.frames()),
                       ear.frame_length(),
                       {48000, 1, static_cast<Samples>(long_s * 48000)}};
  size_t pieces = 0;
  PauseRules rules;
  const double cut_ms = best_ms(5, [&] {
    rules.least_pause_s += 0.01;
    pieces = take.at_pauses(rules).size();
  });
  fmt::print("Two hours are cut into {} pieces by other limits in {:.1f} ms (goal: 100)\n", pieces,
             cut_ms);
  return 0;
}
