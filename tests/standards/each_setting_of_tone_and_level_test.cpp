// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of tone, level and width: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/each_setting.h"

namespace drevan::test::each_setting {
namespace {

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

// S. Linkwitz, "Active crossover networks for noncoincident drivers", JAES 24(1), 1976: at the corner
// what is taken out is 6.02 dB down and in phase with what stays; so of the left side alone three
// quarters stay there, and one quarter comes out on the right.
TEST(EachSetting, MonoBelowKeepsMiddleAndSideInPhase) {
  const AudioBuffer x =
      through("width", {{"mono_below_hz", 250}}, stereo(test::sine(250, 0.3, 2), test::silence(2)));
  const double in_db = test::rms_db(test::sine(250, 0.3, 1).channel(0));
  EXPECT_NEAR(test::rms_db(x.channel(0).subspan(48000)) - in_db, 20 * std::log10(0.75), 0.05);
  EXPECT_NEAR(test::rms_db(x.channel(1).subspan(48000)) - in_db, 20 * std::log10(0.25), 0.1);
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

}  // namespace
}  // namespace drevan::test::each_setting
