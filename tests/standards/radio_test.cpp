// SPDX-License-Identifier: GPL-3.0-or-later
// The radio link against the theory of modulation.
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>

#include "dsp/radio_channel.h"
#include "support/rate.h"
#include "support/speech_metrics.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;
constexpr double beep_hz = 1000;

// A tone at half modulation through a channel, low-passed at 3 kHz: its power over that of what is
// not it, dB.
double snr_db(const RadioSystem& system, double signal_db) {
  RadioChannel channel(rate, system, 0);
  Biquad low[2];
  for (int k = 0; k < 2; ++k)
    low[k].set(design_biquad(BiquadKind::low_pass, 3000, butterworth_q(4, k), 0, rate));
  double re = 0, im = 0, all = 0, mean = 0;
  constexpr int n = 5 * 48000, skip = 48000;
  for (int i = 0; i < n + skip; ++i) {
    const double t = 2 * std::numbers::pi * beep_hz * i / rate;
    double y = channel.pass(0.5 * std::sin(t), 1, {.signal_db = signal_db});
    for (auto& f : low) y = f.process(y);
    if (i < skip) continue;
    re += y * std::sin(t), im += y * std::cos(t), all += y * y, mean += y;
  }
  const double tone = 2 * (re * re + im * im) / n;
  return 10 * std::log10(tone / (all - tone - mean * mean / n));
}
double low_pass_power(double hz) {
  double power = 1;
  for (int k = 0; k < 2; ++k)
    power *= std::norm(response(
        design_biquad(BiquadKind::low_pass, 3000, butterworth_q(4, k), 0, rate), hz, rate));
  return power;
}

// Noise that a Butterworth filter of the fourth order lets through, as wide as one with upright
// sides (any textbook): both sides of the carrier.
double noise_hz(const RadioSystem& system) {
  return system.channel_hz * (std::numbers::pi / 8) / std::sin(std::numbers::pi / 8);
}

// A. B. Carlson, "Communication systems", and S. Haykin, "Communication systems": noise behind a
// discriminator has the density f^2 N0 / (A deviation)^2, one-sided; the tone the power 0.5^2 / 2.
TEST(RadioStandard, FmAboveItsThresholdIsAsTheorySays) {
  for (const RadioSystem& system :
       {RadioSystem{.frequency = true, .deviation_hz = 5000, .channel_hz = 16000},
        RadioSystem{.frequency = true, .deviation_hz = 2500, .channel_hz = 11000}})
    for (const double signal_db : {15.0, 20.0, 30.0}) {
      const double density =
          std::pow(10, -signal_db / 10) / noise_hz(system) / std::pow(system.deviation_hz, 2);
      double noise = 0;
      for (double hz = 0.5; hz < 20000; ++hz) noise += hz * hz * density * low_pass_power(hz);
      EXPECT_NEAR(snr_db(system, signal_db),
                  10 * std::log10(0.125 * low_pass_power(beep_hz) / noise), 2)
          << signal_db << " dB";
    }
}

// Below some 10 dB clicks set in and it falls faster than the signal.
TEST(RadioStandard, FmBreaksUpBelowItsThreshold) {
  const RadioSystem system{.frequency = true, .deviation_hz = 5000, .channel_hz = 16000};
  const double at_20 = snr_db(system, 20), at_10 = snr_db(system, 10), at_3 = snr_db(system, 3);
  EXPECT_NEAR(at_20 - at_10, 10, 3);
  EXPECT_GT(at_10 - at_3, 7 + 4);
}

// AM by its envelope, where the carrier is well above the noise, 0.8 of it modulated at most: the
// noise in phase with the carrier has the density N0 / (A depth)^2, one-sided and counted from both of its sides.
TEST(RadioStandard, AmIsAsTheorySays) {
  const RadioSystem system{.channel_hz = 9000};
  for (const double signal_db : {15.0, 20.0, 30.0}) {
    const double density = std::pow(10, -signal_db / 10) / noise_hz(system) / (0.8 * 0.8);
    double noise = 0;
    for (double hz = 0.5; hz < 20000; ++hz) noise += density * low_pass_power(hz);
    EXPECT_NEAR(snr_db(system, signal_db), 10 * std::log10(0.125 * low_pass_power(beep_hz) / noise),
                2)
        << signal_db << " dB";
  }
}

// A receiver's gain follows the carrier: half of it gives the same tone.
TEST(RadioStandard, AWeakerCarrierIsAsLoud) {
  const auto tone_of = [](double carrier) {
    RadioChannel channel(rate, {.channel_hz = 9000}, 0);
    double re = 0, im = 0;
    for (int i = 0; i < 144000; ++i) {
      const double t = 2 * std::numbers::pi * beep_hz * i / rate,
                   y = channel.pass(0.5 * std::sin(t), carrier, {.signal_db = 50});
      if (i >= 96000) re += y * std::sin(t), im += y * std::cos(t);
    }
    return std::hypot(re, im) / 24000;
  };
  EXPECT_NEAR(tone_of(1), 0.5, 0.02);
  for (const double carrier : {0.5, 0.1}) EXPECT_NEAR(tone_of(carrier), 0.5, 0.03) << carrier;
}

TEST(RadioStandard, WordsComeThroughAndNoiseBreathesWithTheSignal) {
  const AudioBuffer in = test::continuous_speech("en_US_f_Allison", 5);
  for (int system = 0; system < 4; ++system) {
    double last = 1;
    for (const double signal : {40.0, 12.0, 2.0}) {
      AudioBuffer x = in;
      test::run_step(test::with("radio-link", {{"system", system}, {"signal_db", signal}}), x);
      const double heard = test::stoi(in.channel(0), x.channel(0));
      EXPECT_LT(heard, last) << system << " at " << signal;
      last = heard;
      if (signal == 40) EXPECT_GT(heard, 0.75) << system;
    }
    EXPECT_LT(last, 0.7) << system;
  }
}

// FM with a squelch: noise for a moment after the last word, then nothing.
TEST(RadioStandard, TheSquelchHasItsTail) {
  AudioBuffer x(1, 4 * 48000);
  test::add(x, test::sine(700, 0.2, 1.5), 0.2);
  test::run_step(test::with("radio-link", {{"system", 2}, {"signal_db", 25}}), x);
  const auto level = [&](double from, double to) {
    return test::rms_db(x.channel(0).subspan(static_cast<size_t>(from * 48000),
                                             static_cast<size_t>((to - from) * 48000)));
  };
  EXPECT_LT(level(0.0, 0.18), -90);                    // nobody sends
  EXPECT_GT(level(0.5, 1.5), -25);                     // the tone
  EXPECT_LT(level(1.8, 2.0), level(0.5, 1.5) - 15);    // the carrier alone is quiet
  EXPECT_GT(level(2.07, 2.17), level(1.8, 2.0) + 10);  // the tail
  EXPECT_LT(level(2.6, 3.9), -90);                     // shut
}

// Selective fading takes some of the band more: its tone changes, which flat fading cannot do.
TEST(RadioStandard, ShortwaveFadesUnevenly) {
  const auto uneven = [](int system) {
    double most = 0;
    std::vector<double> difference;
    AudioBuffer x = test::sine(500, 0.2, 12);
    test::add(x, test::sine(1300, 0.2, 12), 0);
    test::run_step(test::with("radio-link", {{"system", system},
                                             {"signal_db", 60},
                                             {"fading_pct", 90},
                                             {"fades_hz", 0.5},
                                             {"squelch", 0}}),
                   x);
    for (size_t at = 96000; at + 9600 < 12 * 48000; at += 9600) {
      std::complex<double> low = 0, high = 0;
      for (size_t i = at; i < at + 9600; ++i) {
        const double t = 2 * std::numbers::pi * static_cast<double>(i) / rate,
                     v = static_cast<double>(x.channel(0)[i]);
        low += v * std::polar(1.0, -500 * t), high += v * std::polar(1.0, -1300 * t);
      }
      difference.push_back(20 * std::log10(std::abs(low) / std::abs(high)));
    }
    std::ranges::sort(difference);
    most = difference[difference.size() * 9 / 10] - difference[difference.size() / 10];
    return most;
  };
  EXPECT_GT(uneven(1), 3);
  EXPECT_LT(uneven(0), 1);
}

}  // namespace
}  // namespace drevan
