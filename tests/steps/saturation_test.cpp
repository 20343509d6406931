// SPDX-License-Identifier: GPL-3.0-or-later
// Saturation: aliases and levels.
#include <gtest/gtest.h>

#include <cmath>

#include "dsp/oversampler.h"
#include "support/extent.h"
#include "support/lines.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::worst_alias_db;

TEST(Saturation, AliasesOfAFiveKilohertzToneAreEightyDecibelsDown) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const double rate : {44100.0, 48000.0})
    for (const double drive : {6.0, 12.0, 18.0})
      for (const double even : {0.0, 100.0})
        // Multiples of 5003 Hz and their images fall on different lines.
        for (const double level : {0.25, 0.99}) {
          AudioBuffer x = test::sine(5003, level, 1.2, rate);
          test::run_step(test::with("saturation", {{"drive_db", drive}, {"even_pct", even}}), x,
                         rate);
          EXPECT_LT(worst_alias_db(x, 5003, rate), -80)
              << rate << " " << drive << " " << even << " " << level;
        }
}

TEST(Saturation, DriveLeavesMinusTwelveWhereItIs) {
  for (const double drive : {0.0, 9.0, 18.0}) {
    AudioBuffer x = test::sine(1000, 0.2512, 1);
    test::run_step(test::with("saturation", {{"drive_db", drive}}), x);
    double peak = 0;
    for (const float v : x.channel(0).subspan(10000, 20000))
      peak = std::max(peak, std::abs(static_cast<double>(v)));
    EXPECT_NEAR(20 * std::log10(peak), -12, 0.1) << drive;
  }
}

// A symmetrical curve makes odd harmonics only; a lopsided one the even ones, and no mean is left.
TEST(Saturation, EvenHarmonicsComeFromALopsidedCurve) {
  const auto line = [](const AudioBuffer& x, double hz) {
    std::complex<double> a;
    for (size_t i = 48000; i < 96000; ++i)
      a += static_cast<double>(x.channel(0)[i]) *
           std::polar(1.0, 2 * M_PI * hz * static_cast<double>(i) / 48000);
    return 20 * std::log10(std::abs(a) / 24000 + 1e-12);
  };
  AudioBuffer odd = test::sine(1000, 0.5, 2.5), even = odd;
  test::run_step(test::with("saturation", {{"drive_db", 12}}), odd);
  test::run_step(test::with("saturation", {{"drive_db", 12}, {"even_pct", 80}}), even);
  EXPECT_LT(line(odd, 2000), -110);
  EXPECT_GT(line(odd, 3000), -40);
  EXPECT_GT(line(even, 2000), -40);
  EXPECT_LT(line(even, 0), -50);
}

TEST(Oversampler, PassesTheBandAndDelaysByWholeFrames) {
  for (const double hz : {50.0, 5000.0, 20000.0}) {
    const AudioBuffer in = test::sine(hz, 0.5, 0.2);
    Oversampler o;
    double worst = 0;
    std::array<float, Oversampler::most_frames> out{};
    for (size_t at = 0; at + out.size() < in.channel(0).size(); at += out.size()) {
      Oversampler::Planes planes;
      o.up(in.channel(0).subspan(at, out.size()), planes);
      o.down(planes, out);
      for (size_t i = 0; i < out.size() && at > 1024; ++i)
        worst = std::max(
            worst,
            std::abs(static_cast<double>(
                out[i] - in.channel(0)[at + i - static_cast<size_t>(Oversampler::latency())])));
    }
    EXPECT_LT(worst, 0.5 * 0.006) << hz;  // 0.05 dB
  }
}

}  // namespace
}  // namespace drevan
