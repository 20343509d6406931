// SPDX-License-Identifier: GPL-3.0-or-later
// Steps of motion and echo, against what is published of them.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/fractional_delay.h"
#include "dsp/lfo.h"
#include "engine/listening/level_path.h"
#include "support/lines.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::line_at;
using test::line_spectrum;
using test::with;

using at_48k::rate;

// Gain of a step at `hz`, in dB, by its answer to an impulse: for steps that stand still.
double impulse_gain_db(const ChainStep& step, double hz) {
  AudioBuffer x(1, 96000);
  x.channel(0)[1000] = 1;
  test::run_step(step, x);
  return test::gain_db(x.channel(0), hz, rate);
}

// U. Zoelzer, "DAFX", 2nd edition, 2011, 2.5.1: sound and copy at equal strength cancel where the
// delay is an odd number of half periods.
TEST(MotionStandard, TheFlangersNotchesStandAtOddHalfPeriodsOfItsDelay) {
  const auto step = with(
      "flanger",
      {{"rate_hz", 0.02}, {"delay_ms", 2}, {"depth_ms", 0}, {"feedback_pct", 0}, {"mix_pct", 50}});
  for (const int k : {0, 1, 2, 5, 10}) {
    const double notch = (2 * k + 1) / (2 * 0.002);
    EXPECT_LT(impulse_gain_db(step, notch), -50) << notch;
    EXPECT_NEAR(impulse_gain_db(step, notch + 250), 0, 0.05) << notch;
  }
  // With feedback g the crests stand 1 / (1 - g) high: 2.5.2 of the same.
  const auto loop = with("flanger", {{"rate_hz", 0.02},
                                     {"delay_ms", 2},
                                     {"depth_ms", 0},
                                     {"feedback_pct", 50},
                                     {"mix_pct", 100}});
  EXPECT_NEAR(impulse_gain_db(loop, 1000), 20 * std::log10(1 / (1 - 0.5)), 0.05);
  EXPECT_NEAR(impulse_gain_db(loop, 1250), 20 * std::log10(1 / (1 + 0.5)), 0.05);
}

// 2.4.2 of the same: n first-order all-passes with one corner turn by an odd number of half circles
// where each turns by its share of it, 2 atan(f / corner).
TEST(MotionStandard, ThePhasersNotchesStandWhereTheAllPassesTurnTheSoundOver) {
  for (const int stages : {2, 4, 6, 12}) {
    const auto step = with("phaser", {{"rate_hz", 0.02},
                                      {"stages", stages},
                                      {"low_hz", 900},
                                      {"high_hz", 900},
                                      {"feedback_pct", 0},
                                      {"mix_pct", 50}});
    for (int k = 0; k < stages / 2; ++k) {
      // The corner is bent by the bilinear rule, as its author gives it: by tangents.
      const double t = std::tan((2 * k + 1) * std::numbers::pi / (2 * stages)) *
                       std::tan(std::numbers::pi * 900 / rate);
      const double notch = std::atan(t) * rate / std::numbers::pi;
      EXPECT_LT(impulse_gain_db(step, notch), -40) << stages << " stages, " << notch;
    }
    EXPECT_NEAR(impulse_gain_db(step, 20), 0, 0.4) << stages;
  }
}

// The envelope of a tone under tremolo: its rate within 0.1 %, its depth as set.
TEST(MotionStandard, ModulationKeepsItsRateAndDepth) {
  for (const double hz : {0.5, 5.0, 17.0}) {
    AudioBuffer x(1, static_cast<Samples>(40 * rate));
    std::ranges::fill(x.channel(0), 0.5F);
    test::run_step(with("tremolo", {{"rate_hz", hz}, {"depth_pct", 60}}), x);
    double first = -1, last = -1;
    int cycles = -1;
    float least = 1, most = 0;
    for (size_t i = 1; i < x.channel(0).size(); ++i) {
      const double middle = 0.5 * (1 - 0.6 / 2);
      const double a = static_cast<double>(x.channel(0)[i - 1]),
                   b = static_cast<double>(x.channel(0)[i]);
      least = std::min(least, x.channel(0)[i]);
      most = std::max(most, x.channel(0)[i]);
      if (!(a < middle && b >= middle)) continue;
      last = static_cast<double>(i) - (b - middle) / (b - a);
      if (first < 0) first = last;
      ++cycles;
    }
    EXPECT_NEAR(cycles / ((last - first) / rate), hz, hz * 0.001) << hz;
    EXPECT_NEAR(most, 0.5, 1e-4);
    EXPECT_NEAR(least, 0.2, 1e-3);
  }
}

// Played from the middle an oscillator is where a whole render has it.
TEST(MotionStandard, AnOscillatorStandsWhereTheFrameSays) {
  for (const auto shape : {LfoShape::sine, LfoShape::drift}) {
    Lfo through, placed;
    through.prepare(rate, 1.7);
    placed.prepare(rate, 1.7);
    for (int i = 0; i < 1000003; ++i) through.next();
    placed.place(1000003);
    EXPECT_NEAR(lfo_value(shape, through.next()), lfo_value(shape, placed.next()), 1e-6);
  }
}

// Between the samples: a tone delayed by any part of a sample is the tone, its images 80 dB down.
TEST(MotionStandard, DelayLinesReadBetweenTheSamples) {
  for (const double hz : {500.0, 5000.0, 15000.0})
    for (const double delay : {20.0, 20.25, 20.5, 100.37}) {
      FractionalDelay line(200);
      double worst = 0;
      for (int i = 0; i < 20000; ++i) {
        line.write(static_cast<float>(std::sin(2 * std::numbers::pi * hz * i / rate)));
        if (i < 1000) continue;
        const double wanted = std::sin(2 * std::numbers::pi * hz * (i - delay) / rate);
        worst = std::max(worst, std::abs(static_cast<double>(line.read(delay)) - wanted));
      }
      EXPECT_LT(20 * std::log10(worst), hz > 10000 ? -70 : -85) << hz << " Hz, " << delay;
    }
}

// What a moving delay adds to a tone stands beside it, within the swing of its pitch; nothing is
// left of images and steps elsewhere.
TEST(MotionStandard, AMovingDelayLeavesNothingFarFromATone) {
  const std::pair<const char*, ChainStep> steps[] = {
      {"chorus",
       with("chorus", {{"voices", 3}, {"rate_hz", 1}, {"depth_ms", 4}, {"mix_pct", 100}})},
      {"flanger",
       with("flanger", {{"rate_hz", 1}, {"depth_ms", 3}, {"feedback_pct", 0}, {"mix_pct", 100}})}};
  for (const auto& [name, step] : steps) {
    AudioBuffer x = test::sine(5000, 0.5, 1.5);
    test::run_step(step, x);
    const auto spectrum = line_spectrum(x, 16384);
    double tone = 0, far = 0;
    for (size_t k = 10; k < spectrum.size(); ++k) {
      const double hz = static_cast<double>(k) * rate / (1 << 15);
      (std::abs(hz - 5000) < 600 ? tone : far) =
          std::max(std::abs(hz - 5000) < 600 ? tone : far, spectrum[k]);
    }
    EXPECT_LT(20 * std::log10(far / tone), -80) << name;
  }
}

TEST(MotionStandard, EchoesComeToTheSampleAndToTheirLevel) {
  const auto step = with("delay", {{"time_1_ms", 250},
                                   {"level_1_db", -6},
                                   {"feedback_1_pct", 50},
                                   {"time_2_ms", 33.3},
                                   {"level_2_db", -12},
                                   {"low_hz", 20},
                                   {"high_hz", 20000},
                                   {"mix_pct", 50}});
  AudioBuffer x(1, 96000);
  x.channel(0)[100] = 0.5F;
  test::run_step(step, x);
  const auto at = [&](double ms, int round) {
    return x.channel(0)[100 + static_cast<size_t>(std::lround(ms * 48) * round)];
  };
  EXPECT_FLOAT_EQ(x.channel(0)[100], 0.5F);
  EXPECT_NEAR(to_db(static_cast<double>(at(33.3, 1)) / 0.5), -12, 0.05);
  // Each echo half of the one before, and nothing between.
  for (int round = 1; round <= 6; ++round)
    EXPECT_NEAR(to_db(static_cast<double>(at(250, round)) / 0.5), -6 - (round - 1) * 6.0206, 0.05)
        << round;
  double rest = 0;
  for (const float v : x.channel(0)) rest += std::abs(static_cast<double>(v));
  double echoes = 0.5 + static_cast<double>(at(33.3, 1));
  for (int round = 1; round <= 7; ++round)
    if (round * 12000 + 100 < 96000) echoes += static_cast<double>(at(250, round));
  EXPECT_NEAR(rest, echoes, 1e-3);
}

TEST(MotionStandard, EchoesGoFromSideToSideAndGiveWay) {
  const auto step = with("delay", {{"time_1_ms", 100},
                                   {"level_1_db", 0},
                                   {"feedback_1_pct", 50},
                                   {"low_hz", 20},
                                   {"high_hz", 20000},
                                   {"way", 1},
                                   {"out", 1}});
  AudioBuffer x(2, 48000);
  x.channel(0)[0] = 0.5F;
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 48000});
  p->process(x.block());
  for (int round = 1; round <= 6; ++round) {
    const auto i = static_cast<size_t>(4800 * round);
    const int loud = round % 2 == 1 ? 0 : 1;
    EXPECT_NEAR(x.channel(loud)[i], 0.5 * std::pow(0.5, round - 1), 1e-3) << round;
    EXPECT_NEAR(x.channel(1 - loud)[i], 0, 1e-6) << round;
  }
  // A loud tone holds its own echo down by 12 dB; its end lets it up again.
  AudioBuffer tone = test::sine(1000, 0.5, 3);
  for (size_t i = 96000; i < 144000; ++i) tone.channel(0)[i] = 0;
  AudioBuffer free = tone;
  const auto echo = [](double duck) {
    return with("delay", {{"time_1_ms", 900},
                          {"level_1_db", -6},
                          {"feedback_1_pct", 0},
                          {"low_hz", 20},
                          {"high_hz", 20000},
                          {"duck_db", duck},
                          {"mix_pct", 100}});
  };
  test::run_step(echo(0), free);
  test::run_step(echo(12), tone);
  const auto level = [](const AudioBuffer& s, double from) {
    return test::rms_db(s.channel(0).subspan(static_cast<size_t>(from * rate), 4800));
  };
  EXPECT_NEAR(level(tone, 1.5) - level(free, 1.5), -12, 0.3);
  EXPECT_NEAR(level(tone, 2.85) - level(free, 2.85), 0, 1.5);
}

// The product of two tones is their sum and their difference, each half as large (trigonometry).
TEST(MotionStandard, ARingModulatorMakesSumAndDifference) {
  const double tone = test::on_bin(1000, rate), carrier = test::on_bin(300, rate);
  AudioBuffer x = test::sine(tone, 0.5, 1.5);
  test::run_step(with("ring-modulator", {{"carrier_hz", carrier}}), x);
  const auto spectrum = line_spectrum(x);
  EXPECT_NEAR(line_at(spectrum, tone - carrier, rate), 0.25, 0.002);
  EXPECT_NEAR(line_at(spectrum, tone + carrier, rate), 0.25, 0.002);
  EXPECT_LT(line_at(spectrum, tone, rate), 2e-5);
  AudioBuffer high = test::sine(5000, 0.5, 1.5);
  test::run_step(with("ring-modulator", {{"carrier_hz", 1300}}), high);
  const auto lines = line_spectrum(high);
  double rest = 0;
  for (size_t k = 10; k < lines.size(); ++k) {
    const double hz = static_cast<double>(k) * rate / (1 << 15);
    if (std::abs(hz - 3700) > 20 && std::abs(hz - 6300) > 20) rest = std::max(rest, lines[k]);
  }
  EXPECT_LT(20 * std::log10(rest / 0.25), -80);
}

// Fourier series of a rectified sine: 4 / (pi (4 k k - 1)) at 2 k times its frequency; of a hard
// clipped one far beyond its limit, a square: 4 / (pi n) at odd n.
TEST(MotionStandard, DistortionMakesTheHarmonicsThatItsCurveHas) {
  const double hz = test::on_bin(500, rate);
  AudioBuffer x = test::sine(hz, 0.5, 1.5);
  test::run_step(with("distortion", {{"kind", 3}, {"drive_db", 0}, {"tone_hz", 20000}}), x);
  const auto rectified = line_spectrum(x);
  for (const int k : {1, 2, 3, 5})
    EXPECT_NEAR(20 * std::log10(line_at(rectified, 2 * hz * k, rate) /
                                (0.5 * 4 / (std::numbers::pi * (4 * k * k - 1)))),
                0, 0.1)
        << k;
  AudioBuffer y = test::sine(hz, 0.9, 1.5);
  test::run_step(with("distortion", {{"kind", 1}, {"drive_db", 40}, {"tone_hz", 20000}}), y);
  const auto square = line_spectrum(y);
  for (const int n : {1, 3, 5, 9})
    EXPECT_NEAR(20 * std::log10(line_at(square, hz * n, rate) / (4 / (std::numbers::pi * n))), 0,
                0.2)
        << n;
}

TEST(MotionStandard, DistortionsAliasesAreFarDown) {
  struct Case {
    int kind;
    double drive_db, least_db;
  };
  for (const auto& c : {Case{0, 20, -80}, {1, 20, -80}, {3, 20, -80}, {2, 12, -60}}) {
    AudioBuffer x = test::sine(5003, 0.9, 1.2);
    test::run_step(
        with("distortion",
             {{"kind", static_cast<double>(c.kind)}, {"drive_db", c.drive_db}, {"tone_hz", 20000}}),
        x);
    // A rectified tone has its second harmonic for its loudest.
    const double of = c.kind == 3 ? 10006 : 5003;
    const auto spectrum = line_spectrum(x);
    const double tone = std::max(line_at(spectrum, 5003, rate), line_at(spectrum, of, rate));
    double alias = 0;
    const double bin = rate / (1 << 15);
    for (size_t k = 8; k < spectrum.size(); ++k) {
      const double hz = static_cast<double>(k) * bin;
      if (std::abs(hz - std::round(hz / 5003) * 5003) > 6 * bin)
        alias = std::max(alias, spectrum[k]);
    }
    EXPECT_LT(20 * std::log10(alias / tone), c.least_db) << c.kind << " at " << c.drive_db;
  }
}

// As loud as what enters, over the whole clip: within 0.1 LU (ITU-R BS.1770).
TEST(MotionStandard, TheLevelIsKept) {
  test::TempFolder t;
  AudioBuffer x = test::speech("vm-options");
  test::write_wav(t / "voice.wav", x);
  FindingStore store;
  LevelStore levels;
  const CancelToken never;
  for (const char* id : {"distortion", "ring-modulator", "chorus", "flanger", "phaser", "wah"}) {
    Chain chain;
    chain.steps = {make_step(id)};
    LevelPathOptions o;
    o.store = &store;
    o.levels = &levels;
    o.cancel = &never;
    const auto path = measure_level_path(plan_of({t / "voice.wav", 0, -1, rate, {}}, chain), o);
    EXPECT_NEAR(*path.stages[1].loudness_lufs, *path.stages[0].loudness_lufs, 0.1) << id;
    chain.steps[0]
        .settings.values[static_cast<size_t>(parameter_index(*chain.steps[0].type, "level"))] = 1;
    const auto free = measure_level_path(plan_of({t / "voice.wav", 0, -1, rate, {}}, chain), o);
    EXPECT_GT(std::abs(*free.stages[1].loudness_lufs - *free.stages[0].loudness_lufs), 0.15) << id;
  }
}

}  // namespace
}  // namespace drevan
