// SPDX-License-Identifier: GPL-3.0-or-later
// Two devices whose clocks differ and whose calls come late, by made times.
#include "media/clock_bridge.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "support/rate.h"

namespace drevan {
namespace {

using at_48k::rate;
constexpr double tone_hz = 700;

// Gives or takes blocks by a clock of its own; each call comes up to `late_s` late.
struct Caller {
  double ppm = 0;
  int frames = 256;
  double late_s = 0.002;
  unsigned seed = 1;
  std::mt19937 random = std::mt19937(seed);
  long calls = 0;
  double call_s = 0, gone_s = 0;  // gone_s: of sound that was lost

  double per_second() const { return rate * (1 + ppm * 1e-6); }
  double end_s() const { return gone_s + static_cast<double>(calls * frames) / per_second(); }
  void next() {
    ++calls;
    const double late = std::uniform_real_distribution(0.0, late_s)(random);
    call_s = std::max(call_s, end_s() + late);
  }
};

struct Bridged {
  std::vector<float> sound;  // near frames; the frame n came at (n + 1) / near's rate
  double lag_s = 0;
};

// The far device hears a tone; a part of it may be lost.
Bridged bridge(Caller far, Caller near, double seconds, double lost_at_s = 1e9, double lost_s = 0) {
  ClockBridge between(1, rate, far.frames, near.frames);
  Bridged out;
  std::vector<float> block;
  far.next();
  near.next();
  while (near.call_s < seconds) {
    if (far.call_s < near.call_s) {
      block.resize(static_cast<size_t>(far.frames));
      for (int i = 0; i < far.frames; ++i) {
        const double t = far.end_s() - (far.frames - 1 - i) / far.per_second();
        block[static_cast<size_t>(i)] =
            static_cast<float>(std::sin(2 * std::numbers::pi * tone_hz * t));
      }
      between.write(block.data(), 1, far.frames, far.call_s);
      if (far.end_s() > lost_at_s) far.gone_s = lost_s;
      far.next();
    } else {
      block.resize(static_cast<size_t>(near.frames));
      between.read(block.data(), 1, near.frames, near.call_s);
      out.sound.insert(out.sound.end(), block.begin(), block.end());
      near.next();
    }
  }
  out.lag_s = static_cast<double>(between.lag()) / rate;
  return out;
}

// By how much what was read at `at_s` is later than the lag says, seconds: by the tone's phase over
// 50 ms.
double off_s(const Bridged& heard, const Caller& near, double at_s) {
  const auto from = static_cast<size_t>(at_s * rate);
  constexpr size_t n = 2400;
  std::complex<double> sum = 0;
  for (size_t i = 0; i < n; ++i) {
    const double t = static_cast<double>(from + i + 1) / near.per_second() - heard.lag_s;
    const double window = 1 - std::cos(2 * std::numbers::pi * static_cast<double>(i) / n);
    sum += window * static_cast<double>(heard.sound[from + i]) *
           std::exp(std::complex<double>(0, -2 * std::numbers::pi * tone_hz * t));
  }
  // sin(w (t - off)) gives the phase -w off - 90 degrees.
  const double phase = std::arg(sum * std::complex<double>(0, 1));
  return -phase / (2 * std::numbers::pi * tone_hz);
}

TEST(ClockBridge, ClocksThatDifferAreFollowed) {
  for (const auto& [far_ppm, near_ppm] : {std::pair{0.0, 0.0}, {100.0, -50.0}, {-300.0, 200.0}}) {
    const Caller far{.ppm = far_ppm, .frames = 480}, near{.ppm = near_ppm, .seed = 7};
    const Bridged heard = bridge(far, near, 40);
    double worst_early = 0, worst = 0, least = 1, most = -1;
    for (double t = 1; t < 39; t += 0.05) {
      const double off = off_s(heard, near, t);
      worst_early = std::max(worst_early, std::abs(off));
      if (t < 15) continue;
      worst = std::max(worst, std::abs(off));
      least = std::min(least, off);
      most = std::max(most, off);
    }
    std::printf(
        "  clocks %.0f and %.0f ppm apart from the system's: off by at most %.3f ms from "
        "1 s on, %.3f ms from 15 s on, where it moves within %.3f ms; lag %.1f ms\n",
        far_ppm, near_ppm, 1000 * worst_early, 1000 * worst, 1000 * (most - least),
        1000 * heard.lag_s);
    EXPECT_LT(worst_early, 0.0006);
    EXPECT_LT(worst, 0.0002);
    EXPECT_LT(most - least, 0.0002);
  }
}

// The tone against what a steady tone is: all that is not the tone, also its unsteadiness.
TEST(ClockBridge, ASteadyToneStaysClean) {
  const Caller far{.ppm = 100, .frames = 480}, near{.seed = 7};
  const Bridged heard = bridge(far, near, 30);
  double worst_db = -200;
  for (double t = 15; t < 28; t += 1) {
    const auto from = static_cast<size_t>(t * rate);
    constexpr size_t n = 4800;
    double in_phase = 0, across = 0, all = 0;
    for (size_t i = 0; i < n; ++i) {
      const double x = static_cast<double>(heard.sound[from + i]);
      const double w = 2 * std::numbers::pi * tone_hz * static_cast<double>(i) / rate;
      in_phase += x * std::sin(w);
      across += x * std::cos(w);
      all += x * x;
    }
    const double tone = 2 * (in_phase * in_phase + across * across) / n;
    worst_db = std::max(worst_db, 10 * std::log10(std::max(1e-12, all - tone) / all));
    EXPECT_NEAR(all / n, 0.5, 0.002);
  }
  std::printf("  a tone of %.0f Hz, a tenth of a second at a time: all else %.1f dB\n", tone_hz,
              worst_db);
  EXPECT_LT(worst_db, -50) << "with calls up to 2 ms late";
}

TEST(ClockBridge, CallsThatComeVeryLateMakeNoGapOnceItIsKnown) {
  const Caller far{.frames = 1024, .late_s = 0.06}, near{.frames = 64, .late_s = 0.01};
  const Bridged heard = bridge(far, near, 12);
  EXPECT_GT(heard.lag_s, 0.06);
  EXPECT_LE(heard.lag_s, 0.205);
  long zeros = 0;
  for (size_t i = 4 * 48000; i < heard.sound.size(); ++i)
    zeros += static_cast<long>(heard.sound[i] == 0);
  EXPECT_EQ(zeros, 0);
}

TEST(ClockBridge, WhereFramesAreLostItBeginsAnew) {
  const Caller far{.ppm = 50}, near{.seed = 7};
  const Bridged heard = bridge(far, near, 25, 10, 0.03);
  EXPECT_LT(std::abs(off_s(heard, near, 9)), 0.0003);
  for (double t = 14; t < 24; t += 0.5) EXPECT_LT(std::abs(off_s(heard, near, t)), 0.0005) << t;
}

// Lost again and again, as on a machine that stands still now and then.
TEST(ClockBridge, MuchThatIsLostMakesNoOtherPitch) {
  const Caller far{.ppm = 200, .frames = 480}, near{.random = std::mt19937(7)};
  ClockBridge between(1, rate, far.frames, near.frames);
  double t_far = 0, t_near = 0;
  std::vector<float> block(480), out;
  for (long calls = 0; t_far < 40; ++calls) {
    // 25 ms every 1.5 s.
    t_far += 480 / far.per_second() + (calls % 150 == 149 ? 0.025 : 0);
    between.write(block.data(), 1, 480, t_far);
    for (size_t i = 0; i < block.size(); ++i)
      block[i] = static_cast<float>(
          std::sin(2 * std::numbers::pi * tone_hz *
                   static_cast<double>(calls * 480 + static_cast<long>(i)) / rate));
    for (; t_near < t_far; t_near += 256 / rate) {
      std::vector<float> some(256);
      between.read(some.data(), 1, 256, t_near);
      out.insert(out.end(), some.begin(), some.end());
    }
  }
  // Where no loss is near, it is as much too fast as its clock: by phase, over 50 ms and 50 ms.
  std::vector<double> ppm;
  for (size_t at = 10 * 48000; at + 4800 < out.size(); at += 4800) {
    std::complex<double> a = 0, b = 0;
    for (size_t i = 0; i < 2400; ++i) {
      const double w = 2 * std::numbers::pi * tone_hz * static_cast<double>(i) / rate;
      a += static_cast<double>(out[at + i]) * std::exp(std::complex<double>(0, -w));
      b += static_cast<double>(out[at + 2400 + i]) * std::exp(std::complex<double>(0, -w));
    }
    const double turns = tone_hz * 0.05;
    ppm.push_back(
        1e6 * std::arg(b / a * std::exp(std::complex<double>(0, -2 * std::numbers::pi * turns))) /
        (2 * std::numbers::pi * turns));
  }
  std::ranges::sort(ppm);
  EXPECT_NEAR(ppm[ppm.size() / 2], 200, 100);
  EXPECT_GT(ppm[ppm.size() / 10], -3000);
  EXPECT_LT(ppm[ppm.size() * 9 / 10], 3000) << "five hundredths of a semitone";
}

TEST(ClockBridge, WhereNothingComesOrNobodyReadsThereIsSilence) {
  ClockBridge between(2, rate, 256, 256);
  std::vector<float> far(512, 0.5F), near(512, 1.0F);
  between.read(near.data(), 2, 256, 0);
  for (const float x : near) EXPECT_EQ(x, 0.0F);
  // For a minute nobody reads; then it goes on.
  double t = 0;
  const auto write = [&] { between.write(far.data(), 2, 256, t += 256 / rate); };
  while (t < 60) write();
  for (int i = 0; i < 1000; ++i) {
    write();
    between.read(near.data(), 2, 256, t);
  }
  EXPECT_NEAR(near[0], 0.5F, 0.001F);
  EXPECT_NEAR(near[511], 0.5F, 0.001F);
  // And it ends.
  for (int i = 0; i < 400; ++i) between.read(near.data(), 2, 256, t += 256 / rate);
  for (const float x : near) EXPECT_EQ(x, 0.0F);
}

}  // namespace
}  // namespace drevan
