// SPDX-License-Identifier: GPL-3.0-or-later
// The vocoder and the doubler against what is published, on real voices.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <numeric>

#include "dsp/band_bank.h"
#include "dsp/carrier.h"
#include "dsp/fft.h"
#include "support/rate.h"
#include "support/speech_metrics.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;

AudioBuffer spoken(const ChainStep& step, AudioBuffer x) {
  test::run_step(step, x);
  return x;
}

// A third octave of a sound, cut out of its spectrum.
std::vector<double> third_octave(std::span<const float> x, double hz) {
  int size = 1;
  while (size < static_cast<int>(x.size())) size *= 2;
  const RealFft fft(size);
  FloatVector time(static_cast<size_t>(size));
  std::ranges::copy(x, time.begin());
  ComplexVector bins(static_cast<size_t>(fft.bins()));
  fft.forward(time, bins);
  for (size_t k = 0; k < bins.size(); ++k) {
    const double f = static_cast<double>(k) * rate / size;
    const double off = f > 0 ? std::abs(std::log2(f / hz)) * 3 : 9;
    bins[k] *= static_cast<float>(std::pow(std::cos(std::min(off, 1.0) * M_PI / 2), 2) / size);
  }
  fft.inverse(bins, time);
  return {time.begin(), time.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

// The power's course, smoothed at 8 Hz (R. Drullman and others, "Effect of temporal envelope
// smearing on speech reception", JASA 95, 1994, found words to live below that), a value each
// millisecond.
std::vector<double> course(const std::vector<double>& x) {
  const double k = 1 - std::exp(-2 * std::numbers::pi * 8 / rate);
  double a = 0, b = 0;
  std::vector<double> out;
  for (size_t i = 0; i < x.size(); ++i) {
    a += k * (std::abs(x[i]) - a);
    b += k * (a - b);
    if (i % 48 == 0) out.push_back(b);
  }
  return out;
}

double correlation(const std::vector<double>& a, const std::vector<double>& b, long lag) {
  double n = 0, sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
  for (long i = 200; i + 200 < std::ssize(a); ++i) {
    const double x = a[static_cast<size_t>(i)], y = b[static_cast<size_t>(i + lag)];
    n += 1, sa += x, sb += y, saa += x * x, sbb += y * y, sab += x * y;
  }
  return (sab - sa * sb / n) / std::sqrt((saa - sa * sa / n) * (sbb - sb * sb / n));
}

// Levels in the vocoder's own bands.
std::vector<std::vector<double>> courses(std::span<const float> x, const BandPlan& plan) {
  BandBank bank;
  bank.set(plan, 1, rate);
  std::vector<std::vector<double>> bands(static_cast<size_t>(plan.count)), out;
  for (size_t first = 0; first < bands.size(); first += BandBank::group) {
    EightBandsAtWork work(bank.groups()[first / BandBank::group]);
    for (const float v : x) {
      Eight band, power;
      work.step(Eight{} + v, band, power);
      for (size_t k = first; k < std::min(first + BandBank::group, bands.size()); ++k)
        bands[k].push_back(static_cast<double>(band[k - first]));
    }
  }
  for (const auto& b : bands) out.push_back(course(b));
  return out;
}

TEST(VocoderStandard, BandsFollowTheVoice) {
  const auto step = test::with("vocoder", {{"bands", 24}});
  for (const char* name : {"en_US_f_Allison", "it_IT_m_Carlo"}) {
    const AudioBuffer in = test::continuous_speech(name, 6), out = spoken(step, in);
    const BandPlan plan{100, 8000, 24};
    const auto a = courses(in.channel(0), plan), b = courses(out.channel(0), plan);
    double mean = 0, worst = 1;
    for (size_t k = 0; k < a.size(); ++k) {
      double best = -1;
      long lag = 0;
      for (long l = -30; l <= 30; ++l)
        if (const double c = correlation(a[k], b[k], l); c > best) best = c, lag = l;
      EXPECT_LT(std::abs(lag), 5) << plan.centre_hz(static_cast<int>(k)) << " Hz, in ms";
      const double alike = correlation(a[k], b[k], 0);
      mean += alike / static_cast<double>(a.size());
      worst = std::min(worst, alike);
    }
    EXPECT_GT(mean, 0.95) << name;
    EXPECT_GT(worst, 0.8) << name;
    RecordProperty(name, std::to_string(mean) + " in the mean, worst " + std::to_string(worst));
  }
}

TEST(VocoderStandard, WordsOfNoiseAreUnderstood) {
  for (const char* name : test::voices) {
    const AudioBuffer in = test::continuous_speech(name, 6);
    const AudioBuffer out = spoken(test::with("vocoder", {{"bands", 24}}), in);
    EXPECT_GT(test::stoi(in.channel(0), out.channel(0)), 0.65) << name;
  }
}

TEST(VocoderStandard, CarriersHaveThePitchTheyShall) {
  const AudioBuffer voice = test::continuous_speech("fr_CA_f_June", 4);
  const auto steady_hz = [&](const ChainStep& step) {
    auto all = test::pitches(spoken(step, voice).channel(0));
    std::erase(all, 0);
    std::ranges::sort(all);
    return all.at(all.size() / 2);
  };
  EXPECT_NEAR(steady_hz(test::with("vocoder", {{"carrier", 1}, {"carrier_hz", 110}})), 110, 0.5);
  EXPECT_NEAR(steady_hz(test::with("vocoder", {{"carrier", 2}, {"carrier_hz", 150}})), 150, 0.5);
  // Its own pitch in the mean.
  auto own = test::pitches(voice.channel(0));
  std::erase(own, 0);
  double mean = 0;
  for (const double hz : own) mean += std::log2(hz) / static_cast<double>(own.size());
  EXPECT_NEAR(steady_hz(test::with("vocoder", {{"carrier", 4}, {"bands", 40}})) / std::exp2(mean),
              1, 0.08);
}

TEST(VocoderStandard, ChordsAreNotesByTheirNames) {
  // A4 = 440 Hz (ISO 16), twelve equal semitones.
  const auto hz = chord_hz("A4, C4 eb3 C#5");
  ASSERT_TRUE(hz);
  EXPECT_NEAR((*hz)[0], 440, 1e-9);
  EXPECT_NEAR((*hz)[1], 261.626, 0.001);
  EXPECT_NEAR((*hz)[2], 155.563, 0.001);
  EXPECT_NEAR((*hz)[3], 554.365, 0.001);
  for (const char* none : {"", "H2", "A", "A9", "A2x", "Am", "A2 A2 A2 A2 A2 A2 A2 A2 A2"}) {
    EXPECT_FALSE(chord_hz(none)) << none;
    EXPECT_FALSE(chord_fault(none).empty()) << none;
  }
  // A step with one that is no chord is silent, and nothing worse.
  ChainStep step = test::with("vocoder", {{"carrier", 3}});
  step.settings.texts[0] = "none";
  const AudioBuffer out = spoken(step, test::words(0.4, 1));
  for (const float v : out.channel(0)) ASSERT_TRUE(std::isfinite(v));
}

TEST(DoublerStandard, CopiesStandWhereAndWhenTheyShall) {
  // One click to each side, nothing in the middle: an unvoiced sound is copied as it is.
  const auto step = test::with("doubler", {{"dry_db", -60},
                                           {"drift_ms", 0},
                                           {"level_1_db", 0},
                                           {"level_2_db", 0},
                                           {"delay_1_ms", 10},
                                           {"delay_2_ms", 25},
                                           {"pan_1_pct", -100},
                                           {"pan_2_pct", 100}});
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
  AudioBuffer x(2, 96000);
  x.channel(0)[48000] = 1;
  for (Samples at = 0; at < x.frames(); at += 4000) p->process(x.block(at, 4000));
  for (int c = 0; c < 2; ++c) {
    const auto at = std::ranges::max_element(x.channel(c)) - x.channel(c).begin();
    EXPECT_EQ(at - 48000 - p->latency(), c == 0 ? 480 : 1200);
    EXPECT_NEAR(*std::ranges::max_element(x.channel(c)), 1, 0.01);
  }
}

// Two voices alike, a fixed time apart, cancel every so many Hz (a comb); copies that wander do not
// stay in one. Summed to mono the doubled voice loses no band by more than 3 dB against the sum of
// powers.
TEST(DoublerStandard, ADoubledVoiceSumsToMonoWithoutAHole) {
  for (const char* name : {"en_US_f_Allison", "it_IT_m_Carlo"}) {
    const AudioBuffer in = test::continuous_speech(name, 8);
    const ChainStep step{
        .type = test::with("doubler", {}).type,
        .settings = settings_of(*test::with("doubler", {}).type,
                                test::with("doubler", {}).type->starting_points[0])};
    const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
    AudioBuffer x(2, in.frames());
    std::ranges::copy(in.channel(0), x.channel(0).begin());
    for (Samples at = 0; at < x.frames(); at += 4096)
      p->process(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
    std::vector<float> sum(x.channel(0).size());
    for (size_t i = 0; i < sum.size(); ++i) sum[i] = x.channel(0)[i] + x.channel(1)[i];
    const auto power = [](const std::vector<double>& v) {
      return std::inner_product(v.begin(), v.end(), v.begin(), 0.0);
    };
    for (double hz = 160; hz < 7000; hz *= std::cbrt(2)) {
      const double both = power(third_octave(sum, hz));
      const double each =
          power(third_octave(x.channel(0), hz)) + power(third_octave(x.channel(1), hz));
      EXPECT_GT(10 * std::log10(both / each), -3) << name << ", " << hz << " Hz";
    }
  }
}

}  // namespace
}  // namespace drevan
