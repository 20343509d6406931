// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds from no recording: their levels, spectra and lengths, by definition.
#include "engine/making/made_sound.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/extent.h"
#include "support/reels.h"

namespace drevan {
namespace {

class MadeSounds : public testing::Test {
 protected:
  AudioBuffer made(const MadeSound& of, GroupId group = 1) {
    const auto file = t / (name_of(of) + ".wav");
    std::filesystem::remove(file);
    make_sound(reel, of, group, file, never);
    return test::read_all(file);
  }
  // Mean power between two frequencies, by many short transforms (Welch).
  double band_power(std::span<const float> x, double from_hz, double to_hz) const {
    constexpr int n = 4096;
    double sum = 0;
    int frames = 0;
    const int first = static_cast<int>(std::ceil(from_hz * n / reel.rate)),
              last = static_cast<int>(std::floor(to_hz * n / reel.rate));
    for (size_t at = 4800; at + n < x.size() && frames < 60; at += n, ++frames)
      for (int k = first; k <= last; ++k) {
        double re = 0, im = 0;
        for (int i = 0; i < n; ++i) {
          const double w = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * i / n);
          const double a = 2 * std::numbers::pi * ((static_cast<long>(k) * i) % n) / n;
          re += w * static_cast<double>(x[at + static_cast<size_t>(i)]) * std::cos(a);
          im += w * static_cast<double>(x[at + static_cast<size_t>(i)]) * std::sin(a);
        }
        sum += re * re + im * im;
      }
    return sum / frames / (last - first + 1);
  }
  test::TempFolder t;
  Reel reel = test::reel_of(t, {{"room", "Talk", 2}}, 4);
  CancelToken never;
};

TEST_F(MadeSounds, AToneHasItsPeakAndPitch) {
  const AudioBuffer x = made({MadeKind::tone, 2, -18, 440});
  EXPECT_EQ(x.frames(), 96000);
  EXPECT_NEAR(test::rms_db(x.channel(0).subspan(4800, 48000)), -21.01, 0.02);
  int crossings = 0;
  for (size_t i = 4801; i < 4801 + 48000; ++i)
    crossings += x.channel(0)[i - 1] < 0 && x.channel(0)[i] >= 0;
  EXPECT_NEAR(crossings, 440, 1);
  EXPECT_LT(std::abs(x.channel(0)[1]), 0.001F) << "it begins without a click";
}

// IEC 60268-1: pink noise has the same power in every octave; so 3.01 dB less a Hz.
TEST_F(MadeSounds, NoiseHasItsLevelAndSlope) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const bool pink : {true, false}) {
    const AudioBuffer x = made({pink ? MadeKind::pink_noise : MadeKind::white_noise, 8, -20, 0});
    // AES17: as much power as a tone of -20 dBFS, whose mean power is 3.01 dB below its peak's.
    EXPECT_NEAR(test::rms_db(x.channel(0)), -23.01, pink ? 0.5 : 0.1) << pink;
    double last = 0;
    for (double hz = 187.5; hz <= 6000; hz *= 2) {
      const double now =
          10 * std::log10(band_power(x.channel(0), hz, std::min(1.5 * hz, hz + 600)));
      if (hz > 187.5) {
        EXPECT_NEAR(last - now, pink ? 3.01 : 0, 1.0) << pink << " " << hz;
      }
      last = now;
    }
    EXPECT_EQ(
        x.channel(0)[50000],
        made({pink ? MadeKind::pink_noise : MadeKind::white_noise, 8, -20, 0}).channel(0)[50000]);
  }
}

TEST_F(MadeSounds, SilenceAndRoomToneAreAsLongAsWished) {
  const AudioBuffer none = made({MadeKind::silence, 0.5, 0, 0});
  EXPECT_EQ(none.frames(), 24000);
  EXPECT_EQ(test::rms(none.channel(0)), 0);
  EXPECT_THROW(made({MadeKind::room_tone, 3, 0, 0}), Error) << "none is marked";
  reel.clips[0].room_tone = ClipRange{1, 2};
  const AudioBuffer room = made({MadeKind::room_tone, 10, 0, 0});
  EXPECT_EQ(room.frames(), 480000);
  ASSERT_EQ(room.channels(), 2);
  EXPECT_NEAR(test::rms_db(room.channel(1)), 20 * std::log10(0.05), 0.5);
}

TEST_F(MadeSounds, WhatCannotBeMadeIsTold) {
  for (const MadeSound& wrong :
       {MadeSound{MadeKind::tone, 0.01, -20, 1000}, MadeSound{MadeKind::tone, 1, 3, 1000},
        MadeSound{MadeKind::tone, 1, -20, 5}, MadeSound{MadeKind::tone, std::nan(""), -20, 1000},
        MadeSound{MadeKind::silence, 1e6, -20, 1000}})
    EXPECT_THROW(made(wrong), Error);
  reel.rate = 16000;
  EXPECT_THROW(made({MadeKind::tone, 1, -20, 9000}), Error) << "beyond half the rate";
  made({MadeKind::silence, 1, -20, 0});
  EXPECT_THROW(make_sound(reel, {MadeKind::silence, 1, -20, 0}, 0, t / "Silence.wav", never), Error)
      << "nothing is written over";
  EXPECT_TRUE(test::left_over(t.path()).empty());
}

}  // namespace
}  // namespace drevan
