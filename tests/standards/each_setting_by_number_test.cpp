// Settings that come in families (bands, taps, copies, both sides of an oscillator) and those that
// no test of their step sets: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <numbers>
#include <regex>
#include <set>

#include "audio/decibel.h"
#include "reel/json_file.h"
#include "support/lines.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;
using test::with;
using Named = std::pair<std::string, double>;

ChainStep set(std::string_view id, const std::vector<Named>& values) {
  ChainStep step = with(id, {});
  for (const auto& [name, value] : values)
    step.settings.values.at(static_cast<size_t>(parameter_index(*step.type, name))) = value;
  return step;
}
// As wide as it leaves the step, its latency taken out.
AudioBuffer through(std::string_view id, const std::vector<Named>& values, AudioBuffer x) {
  const FlushDenormals flush;
  const ChainStep step = set(id, values);
  const Findings found = test::learn_step(step, x);
  const auto processor =
      make_processor(*step.type, step.settings, found, {rate, x.channels(), 4096});
  const auto late = processor->latency();
  const int wide = std::max(x.channels(), channels_out(*step.type, step.settings, x.channels()));
  AudioBuffer all(wide, x.frames() + late), out(wide, x.frames());
  for (int c = 0; c < x.channels(); ++c) std::ranges::copy(x.channel(c), all.channel(c).begin());
  for (Samples at = 0; at < all.frames(); at += 4096)
    processor->process(all.block(at, static_cast<int>(std::min<Samples>(4096, all.frames() - at))));
  for (int c = 0; c < wide; ++c)
    std::copy_n(all.channel(c).begin() + late, out.frames(), out.channel(c).begin());
  return out;
}
// Gain of a step that stands still at `hz`, dB, by its answer to an impulse.
double gain_db(std::string_view id, const std::vector<Named>& values, double hz) {
  AudioBuffer x(1, 48000);
  x.channel(0)[200] = 1;
  x = through(id, values, std::move(x));
  return test::gain_db(x.channel(0), hz, rate);
}
double level_db(const AudioBuffer& x, int channel, double from_s, double seconds) {
  return test::rms_db(x.channel(channel).subspan(static_cast<size_t>(from_s * rate),
                                                 static_cast<size_t>(seconds * rate)));
}
AudioBuffer stereo(const AudioBuffer& left, const AudioBuffer& right) {
  AudioBuffer out(2, left.frames());
  std::ranges::copy(left.channel(0), out.channel(0).begin());
  std::ranges::copy(right.channel(0), out.channel(1).begin());
  return out;
}
AudioBuffer both(const AudioBuffer& mono) { return stereo(mono, mono); }

// R. Bristow-Johnson, "Audio EQ Cookbook" (W3C Note, 2021): a bell has its gain at its frequency
// and half of it, in dB, at both edges of its bandwidth, of which 1/Q = 2 sinh(ln(2)/2 BW w/sin w);
// shelves have theirs at the end of the spectrum and half of it at their frequency; a notch lets
// nothing through.
TEST(EachSetting, AllBandsOfTheEqualiserAreThoseOfTheCookbook) {
  for (int band = 1; band <= 8; ++band) {
    const auto of = [&](int kind, double hz, double db, double q) {
      const std::string name = "band" + std::to_string(band) + "_";
      return std::vector<Named>{
          {name + "kind", kind}, {name + "hz", hz}, {name + "gain_db", db}, {name + "q", q}};
    };
    const double hz = 700, q = 2, w = 2 * std::numbers::pi * hz / rate;
    const double octaves = std::asinh(1 / (2 * q)) * 2 / std::log(2) * std::sin(w) / w;
    EXPECT_NEAR(gain_db("equaliser", of(0, hz, 9, q), hz), 9, 0.02) << band;
    for (const double side : {-0.5, 0.5})
      EXPECT_NEAR(gain_db("equaliser", of(0, hz, 9, q), hz * std::exp2(side * octaves)), 4.5, 0.1)
          << band;
    EXPECT_NEAR(gain_db("equaliser", of(1, hz, -6, 0.7), 10), -6, 0.05) << band;
    EXPECT_NEAR(gain_db("equaliser", of(1, hz, -6, 0.7), hz), -3, 0.02) << band;
    EXPECT_NEAR(gain_db("equaliser", of(2, hz, 6, 0.7), 20000), 6, 0.05) << band;
    EXPECT_NEAR(gain_db("equaliser", of(2, hz, 6, 0.7), hz), 3, 0.02) << band;
    EXPECT_LT(gain_db("equaliser", of(3, hz, 0, q), hz), -60) << band;
    EXPECT_NEAR(gain_db("equaliser", of(3, hz, 0, q), 20), 0, 0.02) << band;
  }
}

// IEC 61260-1:2014: the middles of octave bands are 1000 Hz times powers of 10^0.3.
TEST(EachSetting, EveryOctaveBandStandsAtItsNominalMiddle) {
  const std::pair<const char*, int> bands[] = {
      {"band_31_db", -5},  {"band_63_db", -4}, {"band_125_db", -3}, {"band_250_db", -2},
      {"band_500_db", -1}, {"band_1k_db", 0},  {"band_2k_db", 1},   {"band_4k_db", 2},
      {"band_8k_db", 3},   {"band_16k_db", 4}};
  for (const auto& [id, step] : bands) {
    const double hz = 1000 * std::pow(10, 0.3 * step);
    EXPECT_NEAR(gain_db("octave-bands", {{id, 6}}, hz), 6, 0.3) << id;
    if (step > -5) EXPECT_NEAR(gain_db("octave-bands", {{id, 6}}, hz / 2), 0, 0.5) << id;
    if (step < 4) EXPECT_NEAR(gain_db("octave-bands", {{id, 6}}, hz * 2), 0, 0.5) << id;
  }
}

// As CompressorStandard.AttackAndReleaseTakeTheirTime, in each band: D. Giannoulis, M. Massberg, J.
// D. Reiss, JAES 60(6), 2012, section 2.3.
TEST(EachSetting, EveryBandOfTheMultibandHasItsThresholdGainAndTimes) {
  const double middles[] = {40, 265, 1870, 14000};
  for (int band = 1; band <= 4; ++band) {
    const std::string name = "band" + std::to_string(band) + "_";
    const double hz = middles[band - 1];
    std::vector<Named> values{{"bands", 1},
                              {"low_hz", 100},
                              {"middle_hz", 700},
                              {"high_hz", 5000},
                              {name + "attack_ms", 60},
                              {name + "release_ms", 300},
                              {name + "threshold_db", -30},
                              {name + "ratio", 20},
                              {name + "gain_db", 3}};
    for (int other = 1; other <= 4; ++other)
      if (other != band) values.push_back({"band" + std::to_string(other) + "_ratio", 1});
    // 10 dB over the threshold, then 30 below: what is let through by the bands beside it stays
    // small.
    AudioBuffer in = test::sine(hz, from_db(-20) * std::sqrt(2), 3);
    for (size_t i = 96000; i < in.channel(0).size(); ++i) in.channel(0)[i] *= 0.01F;
    const AudioBuffer out = through("multiband-compressor", values, in);
    const auto turned_down = [&](double at_s) {
      const double window = std::max(0.01, 3 / hz);
      return level_db(in, 0, at_s - window / 2, window) -
             level_db(out, 0, at_s - window / 2, window) + 3;
    };
    EXPECT_NEAR(turned_down(1.9), 9.5, 1) << name;
    EXPECT_NEAR(turned_down(0.060), 9.5 * (1 - std::exp(-1)), 1.5) << name;
    EXPECT_NEAR(turned_down(2 + 0.3), 9.5 * std::exp(-1), 1.5) << name;
    EXPECT_LT(turned_down(2.9), 1) << name;
  }
}

TEST(EachSetting, EachCopyOfTheDoublerIsShiftedDelayedAndPlaced) {
  for (int copy = 1; copy <= 4; ++copy) {
    const std::string n = std::to_string(copy);
    std::vector<Named> values{{"dry_db", -60}, {"drift_ms", 0}};
    for (int other = 1; other <= 4; ++other)
      values.push_back({"level_" + std::to_string(other) + "_db", other == copy ? -6.0 : -60.0});
    auto placed = values;
    placed.insert(placed.end(), {{"delay_" + n + "_ms", 40}, {"pan_" + n + "_pct", -100}});
    AudioBuffer click(2, 48000);
    click.channel(0)[12000] = click.channel(1)[12000] = 1;
    const AudioBuffer heard = through("doubler", placed, click);
    const auto at = std::ranges::max_element(heard.channel(0)) - heard.channel(0).begin();
    EXPECT_EQ(at, 12000 + 1920) << copy;
    EXPECT_LT(test::rms_db(heard.channel(1)), test::rms_db(heard.channel(0)) - 40) << copy;
    // A voice an octave higher: equal temperament, 2^(st / 12).
    AudioBuffer voice(1, 96000);
    for (size_t i = 0; i < voice.channel(0).size(); ++i)
      for (int k = 1; k <= 12; ++k)
        voice.channel(0)[i] += static_cast<float>(
            0.1 / k * std::sin(2 * std::numbers::pi * 150 * k * static_cast<double>(i) / rate));
    auto higher = values;
    higher.push_back({"shift_" + n + "_st", 12});
    const auto spectrum = test::line_spectrum(through("doubler", higher, voice), 40000);
    EXPECT_GT(to_db(test::line_at(spectrum, 300, rate)),
              to_db(test::line_at(spectrum, 150, rate)) + 20)
        << copy;
    EXPECT_GT(to_db(test::line_at(spectrum, 600, rate)),
              to_db(test::line_at(spectrum, 450, rate)) + 20)
        << copy;
  }
}

TEST(EachSetting, EveryTapOfTheDelayHasItsTimeLevelSideAndRounds) {
  for (int tap = 1; tap <= 4; ++tap) {
    const std::string n = std::to_string(tap);
    std::vector<Named> values{{"low_hz", 20}, {"high_hz", 20000}, {"mix_pct", 100}, {"out", 1}};
    for (int other = 1; other <= 4; ++other)
      values.push_back({"level_" + std::to_string(other) + "_db", other == tap ? -9.0 : -60.0});
    values.insert(
        values.end(),
        {{"time_" + n + "_ms", 125}, {"pan_" + n + "_pct", 0}, {"feedback_" + n + "_pct", 40}});
    AudioBuffer click(2, 48000);
    click.channel(0)[100] = click.channel(1)[100] = 0.5F;
    const AudioBuffer heard = through("delay", values, click);
    const auto echo = [](const AudioBuffer& x, int channel, int round) {
      return static_cast<double>(x.channel(channel)[100 + static_cast<size_t>(round) * 6000]);
    };
    // In the middle both sides are alike; each echo is 40 % of the one before.
    EXPECT_NEAR(echo(heard, 0, 1), echo(heard, 1, 1), 1e-6) << tap;
    EXPECT_NEAR(to_db(echo(heard, 0, 2) / echo(heard, 0, 1)), to_db(0.4), 0.02) << tap;
    auto left = values;
    left.back() = {"feedback_" + n + "_pct", 0};
    left.push_back({"pan_" + n + "_pct", -100});
    const AudioBuffer at_left = through("delay", left, click);
    EXPECT_NEAR(to_db(echo(at_left, 0, 1) / 0.5), -9, 0.05) << tap;
    EXPECT_LT(std::abs(echo(at_left, 1, 1)), 1e-5) << tap;
    EXPECT_LT(std::abs(echo(at_left, 0, 2)), 1e-5) << tap;
  }
}

// How loud a high tone is in each 64th of a cycle.
std::vector<double> course(const AudioBuffer& x, int channel, double cycle_s) {
  std::vector<double> out;
  const double window = cycle_s / 64;
  for (double at = cycle_s; at + window < static_cast<double>(x.frames()) / rate; at += window)
    out.push_back(from_db(level_db(x, channel, at, window)));
  return out;
}
// By how much of a cycle the second lags the first: where they are most alike.
double lag_of(const std::vector<double>& first, const std::vector<double>& second) {
  double best = 0, most = -2;
  for (int lag = 0; lag < 64; ++lag) {
    double ab = 0, aa = 0, bb = 0, ma = 0, mb = 0;
    const size_t n = first.size() - 64;
    for (size_t i = 0; i < n; ++i) ma += first[i], mb += second[i + static_cast<size_t>(lag)];
    ma /= static_cast<double>(n), mb /= static_cast<double>(n);
    for (size_t i = 0; i < n; ++i) {
      const double a = first[i] - ma, b = second[i + static_cast<size_t>(lag)] - mb;
      ab += a * b, aa += a * a, bb += b * b;
    }
    if (const double alike = ab / std::sqrt(aa * bb + 1e-30); alike > most)
      most = alike, best = lag / 64.0;
  }
  return most > 0.9 ? best : -1;
}

// The right side goes behind the left by so many degrees of a cycle.
TEST(EachSetting, TheSidesOfAnOscillatorAreApartByTheirPhase) {
  const std::pair<const char*, std::vector<Named>> steps[] = {
      {"tremolo", {{"rate_hz", 2}, {"depth_pct", 80}}},
      {"wah", {{"rate_hz", 2}, {"low_hz", 500}, {"high_hz", 3000}, {"mix_pct", 100}, {"level", 1}}},
      {"flanger",
       {{"rate_hz", 2}, {"delay_ms", 1}, {"depth_ms", 0.2}, {"feedback_pct", 0}, {"level", 1}}},
      {"phaser", {{"rate_hz", 2}, {"feedback_pct", 0}, {"level", 1}}},
  };
  for (const auto& [id, values] : steps)
    for (const double degrees : {0.0, 45.0, 90.0, 135.0}) {
      auto of = values;
      of.insert(of.end(), {{"shape", 0}, {"phase_deg", degrees}, {"out", 1}});
      const AudioBuffer heard = through(id, of, both(test::sine(2100, 0.3, 4)));
      const double lag = lag_of(course(heard, 0, 0.5), course(heard, 1, 0.5));
      EXPECT_NEAR(lag, degrees / 360, 1.5 / 64) << id << " " << degrees;
    }
}

// What the names of waves mean: the share of a cycle that is spent in the upper half, whether it
// goes up or down slowly, and whether it stays at its ends. Of the steps that do not simply turn
// the level, where a tone's level follows the movement in one direction.
TEST(EachSetting, TheWavesOfAnOscillatorAreWhatTheyAreCalled) {
  const auto slowly_up = [](const std::vector<double>& x) {
    int up = 0, down = 0;
    for (size_t i = 1; i < x.size(); ++i) (x[i] > x[i - 1] ? up : down)++;
    return static_cast<double>(up) / (up + down);
  };
  const auto at_ends = [](const std::vector<double>& x) {
    const auto [least, most] = std::ranges::minmax(x);
    const auto count = std::ranges::count_if(x, [&](double v) {
      return v < least + 0.1 * (most - least) || v > most - 0.1 * (most - least);
    });
    return static_cast<double>(count) / static_cast<double>(x.size());
  };
  const std::pair<const char*, std::vector<Named>> steps[] = {
      {"tremolo", {{"rate_hz", 2}, {"depth_pct", 90}}},
      // Above the whole way of its resonance a tone is the louder the higher that is.
      {"wah",
       {{"rate_hz", 2},
        {"low_hz", 500},
        {"high_hz", 1500},
        {"mix_pct", 100},
        {"resonance_q", 1},
        {"level", 1}}},
  };
  for (const auto& [id, values] : steps) {
    const auto of = [&, id = id, &values = values](int shape) {
      auto all = values;
      all.push_back({"shape", shape});
      return course(through(id, all, test::sine(3100, 0.3, 5)), 0, 0.5);
    };
    // A sine is within a tenth of its ends for 2 acos(0.8) / pi = 41 % of the time, a triangle for
    // 20 %.
    if (std::string_view(id) == "tremolo") {
      EXPECT_NEAR(at_ends(of(0)), 0.41, 0.05);
      EXPECT_NEAR(at_ends(of(1)), 0.20, 0.07);
    }
    EXPECT_NEAR(slowly_up(of(0)), 0.5, 0.06) << id;
    EXPECT_NEAR(slowly_up(of(1)), 0.5, 0.06) << id;
    EXPECT_GT(at_ends(of(2)), 0.85) << id << ": a square stays at its ends";
    EXPECT_GT(slowly_up(of(3)), 0.85) << id << ": rising";
    EXPECT_LT(slowly_up(of(4)), 0.15) << id << ": falling";
    const auto drift = of(5);
    EXPECT_LT(at_ends(drift), 0.6) << id << ": chance";
  }
}

// The side signal (left minus right) is taken to so many percent (A. D. Blumlein, GB 394325, 1931:
// sum and difference).
TEST(EachSetting, WidthTakesTheDifferenceOfTheSides) {
  const AudioBuffer x = stereo(test::noise(0.1, 1, 1), test::noise(0.1, 1, 2));
  const auto side_db = [](const AudioBuffer& of, double from_s) {
    AudioBuffer side(1, of.frames());
    for (size_t i = 0; i < side.channel(0).size(); ++i)
      side.channel(0)[i] = of.channel(0)[i] - of.channel(1)[i];
    return level_db(side, 0, from_s, 0.5);
  };
  for (const double pct : {25.0, 50.0, 150.0, 200.0})
    EXPECT_NEAR(side_db(through("width", {{"width_pct", pct}}, x), 0.4) - side_db(x, 0.4),
                to_db(pct / 100), 0.02)
        << pct;
  EXPECT_LT(side_db(through("width", {{"width_pct", 0}}, x), 0.4), -120);
  // Both sides alike below a frequency, as they are above it.
  const AudioBuffer low = stereo(test::sine(50, 0.3, 1), test::silence(1));
  const AudioBuffer high = stereo(test::sine(2000, 0.3, 1), test::silence(1));
  EXPECT_LT(side_db(through("width", {{"mono_below_hz", 250}}, low), 0.4) - side_db(low, 0.4), -12);
  EXPECT_NEAR(side_db(through("width", {{"mono_below_hz", 250}}, high), 0.4), side_db(high, 0.4),
              0.2);
}

TEST(EachSetting, SidesAreAlikeWhereNothingIsSpread) {
  const AudioBuffer x = both(test::noise(0.1, 1, 4));
  const auto apart_db = [](const AudioBuffer& of) {
    double power = 1e-20;
    for (size_t i = 24000; i < of.channel(0).size(); ++i)
      power += std::pow(static_cast<double>(of.channel(0)[i] - of.channel(1)[i]), 2);
    return 10 * std::log10(power / 24000);
  };
  EXPECT_LT(apart_db(through("chorus", {{"spread_pct", 0}, {"mix_pct", 100}}, x)), -120);
  EXPECT_GT(apart_db(through("chorus", {{"spread_pct", 100}, {"mix_pct", 100}}, x)), -30);
  EXPECT_LT(apart_db(through("reverb", {{"width_pct", 0}, {"mix_pct", 100}}, x)), -100);
  EXPECT_GT(apart_db(through("reverb", {{"width_pct", 100}, {"mix_pct", 100}}, x)), -30);
}

// W. R. Bennett, "Spectra of quantized signals", BSTJ 27(3), 1948: a sine of full scale in n bits
// stands 6.02 n + 1.76 dB over what that adds; a little more here, as what lies above hearing is
// taken out.
TEST(EachSetting, FewerBitsAddSoMuchNoise) {
  for (const double bits : {3.0, 5.0, 8.0, 11.0}) {
    const double hz = test::on_bin(997, rate);
    const AudioBuffer x =
        through("distortion",
                {{"kind", 4}, {"bits", bits}, {"drive_db", 0}, {"tone_hz", 20000}, {"level", 1}},
                test::sine(hz, 0.999, 1.5));
    double re = 0, im = 0, all = 0;
    constexpr int from = 16384, size = 1 << 15;
    for (int i = from; i < from + size; ++i) {
      const double v = static_cast<double>(x.channel(0)[static_cast<size_t>(i)]);
      const double at = 2 * std::numbers::pi * hz * i / rate;
      re += v * std::cos(at), im += v * std::sin(at), all += v * v;
    }
    const double tone = 2 * (re * re + im * im) / size;
    EXPECT_NEAR(10 * std::log10(tone / (all - tone)), 6.02 * bits + 1.76, 2.5) << bits;
  }
}

TEST(EachSetting, OutputsAndLevelsAreDecibels) {
  const AudioBuffer x = test::sine(500, 0.05, 1);
  const double plain = level_db(through("saturation", {{"drive_db", 0}}, x), 0, 0.5, 0.4);
  for (const double db : {-9.0, 6.0})
    EXPECT_NEAR(
        level_db(through("saturation", {{"drive_db", 0}, {"output_db", db}}, x), 0, 0.5, 0.4) -
            plain,
        db, 0.01);
  // Of noise, which a room colours but does not make louder: its long sound is as loud as what
  // enters.
  const AudioBuffer noise = test::noise(0.05, 6, 6);
  const auto late = [&](double db) {
    return level_db(
        through("reverb",
                {{"early_db", -60}, {"late_db", db}, {"mix_pct", 100}, {"decay_s", 1}, {"out", 0}},
                noise),
        0, 4, 1.5);
  };
  EXPECT_NEAR(late(0) - level_db(noise, 0, 4, 1.5), 0, 1.5);
  EXPECT_NEAR(late(-12) - late(0), -12, 0.05);
}

// A hundredth of a semitone: 2^(1/1200) (A. J. Ellis, 1885).
TEST(EachSetting, CentsAreHundredthsOfASemitone) {
  for (const double cents : {-50.0, 30.0, 100.0}) {
    AudioBuffer x(1, 144000);
    for (size_t i = 0; i < x.channel(0).size(); ++i)
      x.channel(0)[i] = static_cast<float>(
          0.3 * std::sin(2 * std::numbers::pi * 880 * static_cast<double>(i) / rate));
    const auto spectrum =
        test::line_spectrum(through("pitch", {{"way", 1}, {"fine_cent", cents}}, x), 65536);
    const auto top = std::ranges::max_element(spectrum) - spectrum.begin();
    EXPECT_NEAR(static_cast<double>(top) * rate / (1 << 15), 880 * std::exp2(cents / 1200), 1.0)
        << cents;
  }
}

// The ring's tone goes up and down by so many semitones.
TEST(EachSetting, TheRingsToneWandersBySemitones) {
  AudioBuffer x(1, 5 * 48000);
  std::ranges::fill(x.channel(0), 0.5F);
  x = through(
      "ring-modulator",
      {{"carrier_hz", 400}, {"depth_pct", 100}, {"wander_st", 7}, {"rate_hz", 0.4}, {"level", 1}},
      x);
  double least = 1e9, most = 0, last = -1;
  for (size_t i = 4800; i < x.channel(0).size(); ++i) {
    const auto a = static_cast<double>(x.channel(0)[i - 1]),
               b = static_cast<double>(x.channel(0)[i]);
    if (!(a < 0 && b >= 0)) continue;
    const double at = static_cast<double>(i) - b / (b - a);
    if (last > 0) {
      least = std::min(least, rate / (at - last));
      most = std::max(most, rate / (at - last));
    }
    last = at;
  }
  EXPECT_NEAR(12 * std::log2(most / 400), 7, 0.1);
  EXPECT_NEAR(12 * std::log2(least / 400), -7, 0.1);
}

// Below the level the gain stays as it is.
TEST(EachSetting, TheCompressorHoldsItsGainBelowALevel) {
  AudioBuffer x = test::sine(500, from_db(-10) * std::sqrt(2), 4);
  for (size_t i = 96000; i < x.channel(0).size(); ++i)
    x.channel(0)[i] *= static_cast<float>(from_db(-45));
  const auto gain_at = [&](double hold, double s) {
    const AudioBuffer out = through(
        "compressor",
        {{"threshold_db", -30}, {"ratio", 4}, {"release_ms", 100}, {"hold_below_db", hold}}, x);
    return level_db(out, 0, s, 0.4) - level_db(x, 0, s, 0.4);
  };
  EXPECT_NEAR(gain_at(-40, 1.5), -17.26, 0.3) << "its peaks are 23 dB over; a quarter is left";
  EXPECT_LT(gain_at(-40, 3.5), -6);
  EXPECT_NEAR(gain_at(-40, 3.5), gain_at(-40, 2.2), 0.05) << "held";
  EXPECT_NEAR(gain_at(-90, 3.5), 0, 0.2) << "off: it lets go";
  EXPECT_NEAR(gain_at(-70, 3.5), 0, 0.2) << "what is louder than that is let up";
}

// The resonance of a second-order filter is so much higher than what lies far off as its Q says: at
// its middle a band-pass has 0 dB and is 3 dB down at both edges, which are middle / Q apart.
TEST(EachSetting, TheWahsResonanceIsAsNarrowAsItsQ) {
  for (const double q : {1.0, 4.0, 10.0}) {
    const std::vector<Named> values{{"rate_hz", 0.05},  {"low_hz", 1000}, {"high_hz", 1000},
                                    {"resonance_q", q}, {"mix_pct", 100}, {"level", 1}};
    const double middle = gain_db("wah", values, 1000);
    const double edge = 1000 * (std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q));
    EXPECT_NEAR(gain_db("wah", values, edge) - middle, -3.01, 0.5) << q;
    EXPECT_NEAR(gain_db("wah", values, 1e6 / edge) - middle, -3.01, 0.5) << q;
  }
}

// Every parameter is set by some test that knows what it must do. Those that are not yet: a new one
// may not join them, and one that is set must be taken out here.
TEST(EachSetting, AllStandInATestOfTheirOwn) {
  const std::vector<std::string> not_yet{"acoustics bright_db",
                                         "acoustics drawn",
                                         "acoustics ears",
                                         "acoustics faces_deg",
                                         "acoustics part",
                                         "acoustics people",
                                         "acoustics scatter_pct",
                                         "acoustics turn_deg",
                                         "convolution response",
                                         "convolution start_ms",
                                         "de-ess line_db",
                                         "de-ess mode",
                                         "hum-removal harmonics",
                                         "loudspeaker bass_st",
                                         "loudspeaker own",
                                         "loudspeaker treble_st",
                                         "noise-reduction lift_db",
                                         "radio-link off_hz",
                                         "radio-link station_db",
                                         "reverb diffusion_pct",
                                         "ride pause_db",
                                         "telephone grit_pct",
                                         "telephone side_db",
                                         "tremolo moved_by",
                                         "vocoder carrier_db",
                                         "vocoder chord",
                                         "vocoder flatten_pct",
                                         "vocoder hear",
                                         "vocoder sharp_db",
                                         "wah moved_by",
                                         "wall room_s"};
  const std::filesystem::path tests = std::filesystem::path(DREVAN_SOURCE_DIR) / "tests";
  std::string all;
  for (const char* folder : {"standards", "steps", "engine"})
    for (const auto& entry : std::filesystem::directory_iterator(tests / folder)) {
      const auto name = entry.path().filename().string();
      // They go through all, and know of none what it must be.
      if (name == "catalogue_test.cpp" || name == "every_setting_test.cpp") continue;
      if (entry.path().extension() == ".cpp") all += read_text(entry.path());
    }
  // Names that are put together above: "band3_q".
  const std::regex family("(band|shift_|delay_|level_|pan_|time_|feedback_)[1-8](_.*)?");
  const std::set<std::string_view> families{"equaliser", "multiband-compressor", "doubler",
                                            "delay"};
  std::vector<std::string> missing;
  for (const StepType* type : catalogue()) {
    const auto in_a_family = [&](const std::string& id) {
      return families.contains(type->id) && std::regex_match(id, family);
    };
    const auto look = [&](std::string_view id) {
      const std::string name(id);
      // The list above names them with their step, so none finds itself there.
      if (all.find('"' + name + '"') == std::string::npos && !in_a_family(name))
        missing.push_back(std::string(type->id) + " " + name);
    };
    for (const Parameter& p : type->parameters) look(p.id);
    for (const TextParameter& p : type->texts) look(p.id);
  }
  std::ranges::sort(missing);
  EXPECT_EQ(missing, not_yet);
}

}  // namespace
}  // namespace drevan
