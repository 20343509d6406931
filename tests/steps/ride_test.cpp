// SPDX-License-Identifier: GPL-3.0-or-later
// The ride on real speech: sentences come to one loudness, pauses stay down.
#include <gtest/gtest.h>

#include <cmath>

#include "measure/levels.h"
#include "support/steps.h"

namespace drevan {
namespace {

double loudness(const AudioBuffer& x, double from_s, double to_s) {
  AudioBuffer part(1, static_cast<Samples>((to_s - from_s) * 48000));
  std::copy_n(x.channel(0).begin() + static_cast<std::ptrdiff_t>(from_s * 48000), part.frames(),
              part.channel(0).begin());
  LevelMeter meter({48000, 1, 4096}, Detail::quick);
  for (Samples at = 0; at < part.frames(); at += 4096)
    meter.hear(part.block(at, static_cast<int>(std::min<Samples>(4096, part.frames() - at))));
  return meter.levels().loudness_lufs.value_or(-200);
}

// One prompt said at four levels, two seconds of pause between.
struct Talk {
  AudioBuffer sound;
  double length_s;
};
Talk uneven_talk() {
  const AudioBuffer said = test::speech("demo-abouttotry");
  const double length = static_cast<double>(said.frames()) / 48000;
  AudioBuffer x = test::noise(1e-3, 4 * (length + 2) + 1, 8);
  const double levels[] = {0, -8, 2, -6};
  for (int i = 0; i < 4; ++i) {
    AudioBuffer one = said;
    for (float& v : one.channel(0)) v *= static_cast<float>(std::pow(10, levels[i] / 20));
    test::add(x, one, 1 + i * (length + 2));
  }
  return {x, length};
}

TEST(Ride, BringsEverySentenceToTheGoal) {
  Talk t = uneven_talk();
  AudioBuffer x = t.sound;
  test::run_step(
      test::with("ride", {{"goal_lufs", -20}, {"up_db", 12}, {"down_db", 12}, {"hand_ms", 200}}),
      x);
  for (int i = 0; i < 4; ++i) {
    const double at = 1 + i * (t.length_s + 2);
    EXPECT_NEAR(loudness(x, at, at + t.length_s), -20, 1.5) << i;
  }
}

TEST(Ride, NeverLiftsAPause) {
  Talk t = uneven_talk();
  AudioBuffer x = t.sound;
  test::run_step(test::with("ride", {{"goal_lufs", -14}, {"up_db", 18}}), x);
  for (int i = 0; i < 4; ++i) {
    const auto from = static_cast<size_t>((1 + i * (t.length_s + 2) + t.length_s + 0.6) * 48000);
    EXPECT_LT(test::rms_db(x.channel(0).subspan(from, 38400)),
              test::rms_db(t.sound.channel(0).subspan(from, 38400)) + 0.1)
        << i;
  }
}

TEST(Ride, KeepsWithinItsReach) {
  Talk t = uneven_talk();
  AudioBuffer x = t.sound;
  test::run_step(test::with("ride", {{"goal_lufs", -9}, {"up_db", 3}}), x);
  EXPECT_NEAR(loudness(x, 1, 1 + t.length_s) - loudness(t.sound, 1, 1 + t.length_s), 3, 0.3);
}

}  // namespace
}  // namespace drevan
