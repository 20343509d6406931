// SPDX-License-Identifier: GPL-3.0-or-later
// The small pieces against their definitions, worked out the slow way.
#include <gtest/gtest.h>

#include <numeric>
#include <random>

#include "dsp/convolve.h"
#include "dsp/delay.h"
#include "dsp/envelope.h"
#include "dsp/fast_math.h"
#include "dsp/gain.h"
#include "dsp/loss_concealment.h"
#include "dsp/oversampler.h"
#include "dsp/smoothed.h"
#include "dsp/stft.h"
#include "dsp/sums.h"
#include "dsp/true_peak.h"
#include "support/sounds.h"

namespace drevan {
namespace {

std::vector<float> random_samples(size_t n, unsigned seed, float size = 1) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<float> value(-size, size);
  std::vector<float> out(n);
  for (float& x : out) x = value(random);
  return out;
}

TEST(Sums, AreThoseOfTheNaiveLoopForEveryLength) {
  const auto a = random_samples(1000, 1), b = random_samples(1000, 2);
  for (const size_t n : {0U, 1U, 3U, 7U, 8U, 63U, 64U, 65U, 127U, 500U, 1000U}) {
    double squares = 0, products = 0;
    float largest = 0;
    for (size_t i = 0; i < n; ++i) {
      squares += static_cast<double>(a[i]) * a[i];
      products += static_cast<double>(a[i]) * b[i];
      largest = std::max(largest, std::abs(a[i]));
    }
    const std::span x(a.data(), n);
    EXPECT_NEAR(sum_of_squares(x), squares, 1e-6 * (squares + 1)) << n;
    EXPECT_NEAR(sum_of_products(x, std::span(b.data(), n)), products, 1e-6 * (squares + 1)) << n;
    EXPECT_EQ(largest_magnitude(x), largest) << n;
  }
  EXPECT_NEAR(sum_of_products(std::span(a).first(10), b),
              std::inner_product(a.begin(), a.begin() + 10, b.begin(), 0.0), 1e-6);
}

TEST(Sums, NotANumberIsLargerThanAnything) {
  for (const size_t at : {0U, 5U, 99U}) {
    auto x = random_samples(100, 3);
    x[at] = std::nanf("");
    const float m = largest_magnitude(x);
    EXPECT_TRUE(std::isnan(m) || m > 1e30F) << at;
  }
}

TEST(Convolve, IsTheSumItSays) {
  const auto h = random_samples(24, 4), x = random_samples(24 - 1 + 200, 5);
  for (const size_t n : {1U, 3U, 16U, 77U, 200U}) {
    auto y = random_samples(n, 6);
    const auto before = y;
    convolve_add(x.data() + 23, h, y);
    for (size_t i = 0; i < n; ++i) {
      double sum = before[i];
      for (size_t t = 0; t < h.size(); ++t) sum += static_cast<double>(h[t]) * x[23 + i - t];
      ASSERT_NEAR(y[i], sum, 1e-5) << n << " " << i;
    }
  }
}

TEST(Convolve, HasTheSameBitsForEveryBlockSize) {
  const auto h = random_samples(32, 7), x = random_samples(31 + 96, 8);
  std::vector<float> whole(96), parts(96);
  convolve_add(x.data() + 31, h, whole);
  for (size_t at = 0, n = 1; at < 96; at += n, n = n % 7 + 1) {
    n = std::min(n, 96 - at);
    convolve_add(x.data() + 31 + at, h, std::span(parts).subspan(at, n));
  }
  EXPECT_EQ(whole, parts);
}

TEST(DelayLine, GivesBackWhatWentIn) {
  for (const int late : {0, 1, 13, 500}) {
    AudioBuffer x(2, 1200);
    for (int c = 0; c < 2; ++c)
      std::ranges::copy(random_samples(1200, static_cast<unsigned>(9 + c)), x.channel(c).begin());
    AudioBuffer y = x;
    Delay delay(2, late);
    for (int at = 0, n = 1; at < 1200; at += n, n = n * 3 % 101 + 1) {
      n = std::min(n, 1200 - at);
      delay.process(y.block(at, n));
    }
    for (int c = 0; c < 2; ++c)
      for (int i = 0; i < 1200; ++i)
        ASSERT_EQ(y.channel(c)[static_cast<size_t>(i)],
                  i < late ? 0.0F : x.channel(c)[static_cast<size_t>(i - late)])
            << late << " " << i;
  }
}

TEST(SlidingMaximum, IsTheLargestOfTheLastFew) {
  const auto x = random_samples(600, 11);
  SlidingMaximum most(50);
  for (const int length : {50, 1, 17}) {
    most.reset();
    most.set_length(length);
    for (size_t i = 0; i < x.size(); ++i) {
      const size_t from =
          i + 1 >= static_cast<size_t>(length) ? i + 1 - static_cast<size_t>(length) : 0;
      ASSERT_EQ(most.process(x[i]), *std::max_element(x.begin() + static_cast<long>(from),
                                                      x.begin() + static_cast<long>(i) + 1))
          << length << " " << i;
    }
  }
}

TEST(MovingMean, IsTheMeanOfTheLastFewAndStaysSo) {
  const auto x = random_samples(5000, 12, 300);
  MovingMean mean(64);
  mean.set_length(40);
  for (size_t i = 0; i < x.size(); ++i) {
    if (i == 2500) mean.set_length(7);
    const size_t length = i < 2500 ? 40 : 7, from = i + 1 >= length ? i + 1 - length : 0;
    const double sum = std::accumulate(x.begin() + static_cast<long>(from),
                                       x.begin() + static_cast<long>(i) + 1, 0.0);
    ASSERT_NEAR(mean.process(x[i]), sum / static_cast<double>(length), 1e-7) << i;
  }
}

TEST(LagLine, GivesTheValueOfAWhileAgo) {
  LagLine line(30);
  for (int i = 0; i < 200; ++i) {
    const int lag = i % 31;
    ASSERT_EQ(line.process(i + 1, lag), std::max(0, i + 1 - lag)) << i;
  }
}

TEST(Smoothed, ComesWithinOneOverEInItsTimeAndLandsExactly) {
  Smoothed s;
  s.prepare(48000, 10, 0);
  s.set(1);
  for (int i = 0; i < 480; ++i) s.next();
  EXPECT_NEAR(s.value(), 1 - std::exp(-1.0), 1e-9);
  for (int i = 0; i < 48000; ++i) s.next();
  EXPECT_EQ(s.value(), 1.0);
  EXPECT_FALSE(s.moving());
}

TEST(GlidingGain, SettlesToTheGainAndIsTheSameForAnyBlockSize) {
  AudioBuffer whole = test::sine(100, 0.5, 0.5), parts = whole;
  const AudioBuffer x = whole;
  GlidingGain a, b;
  for (auto* g : {&a, &b}) {
    g->prepare(48000, 0);
    g->set_db(-6);
  }
  a.process(whole.block());
  for (int at = 0, n = 1; at < parts.frames(); at += n, n = n * 5 % 331 + 1) {
    n = std::min(n, static_cast<int>(parts.frames()) - at);
    b.process(parts.block(at, n));
  }
  EXPECT_TRUE(std::ranges::equal(whole.channel(0), parts.channel(0)));
  EXPECT_FLOAT_EQ(whole.channel(0)[20000], x.channel(0)[20000] * static_cast<float>(from_db(-6)));
  // No step larger than a sine of that frequency makes itself, twice over.
  for (size_t i = 1; i < 24000; ++i)
    ASSERT_LT(std::abs(whole.channel(0)[i] - whole.channel(0)[i - 1]),
              0.5F * 2 * 3.1416F * 100 / 48000 * 2);
}

TEST(FastMath, KeepsItsWord) {
  for (int i = -120; i <= 120; ++i)
    for (const float m : {1.0F, 1.0001F, 1.2F, 1.41421F, 1.41422F, 1.7F, 1.9999F}) {
      const float x = std::ldexp(m, i);
      ASSERT_NEAR(fast_log2(x), std::log2(static_cast<double>(x)), 1e-4) << x;
    }
  for (int i = -12500; i <= 12500; ++i) {
    const float x = static_cast<float>(i) * 0.01F;
    ASSERT_NEAR(fast_exp2(x) / std::exp2(static_cast<double>(x)), 1, 1e-5) << x;
  }
  EXPECT_GT(fast_exp2(-1000), 0);
  EXPECT_TRUE(std::isfinite(fast_exp2(1000)));
}

// The recursion of Giannoulis, Massberg and Reiss 2012, eq. 17, one sample at a time.
TEST(Detectors, TheDecoupledOneIsThePapersRecursion) {
  auto x = random_samples(4001, 13, 20);
  for (float& v : x) v = std::max(0.0F, v);
  DecoupledDetector detector;
  detector.set(5, 80, 48000);
  auto y = x;
  for (size_t at = 0, n = 1; at < y.size(); at += n, n = n * 3 % 97 + 1) {
    n = std::min(n, y.size() - at);
    detector.process(std::span(y).subspan(at, n));
  }
  const double attack = std::exp(-1000.0 / (5 * 48000.0)),
               release = std::exp(-1000.0 / (80 * 48000.0));
  double peak = 0, value = 0;
  for (size_t i = 0; i < x.size(); ++i) {
    peak = std::max(static_cast<double>(x[i]), release * peak + (1 - release) * x[i]);
    value = attack * value + (1 - attack) * peak;
    ASSERT_NEAR(y[i], value, 2e-5) << i;
  }
}

TEST(Detectors, TheBranchingOneRisesAndFallsInItsTimes) {
  BranchingDetector d;
  d.set(10, 100, 48000);
  for (int i = 0; i < 480; ++i) d.process(1);
  EXPECT_NEAR(d.value(), 1 - std::exp(-1.0), 1e-9);
  d.reset(1);
  for (int i = 0; i < 4800; ++i) d.process(0);
  EXPECT_NEAR(d.value(), std::exp(-1.0), 1e-9);
  MeanSquare m;
  m.set(50, 48000);
  for (int i = 0; i < 48000; ++i) m.process(std::sin(2 * 3.14159265358979 * 1000 * i / 48000.0));
  EXPECT_NEAR(m.value(), 0.5, 0.01);
}

class StftOf : public testing::TestWithParam<std::tuple<int, int, Taper>> {};

TEST_P(StftOf, UnchangedSpectraGiveTheInputBack) {
  const auto [size, overlap, taper] = GetParam();
  Stft stft(size, overlap, taper);
  auto x = random_samples(static_cast<size_t>(size) * 9 + 31, 14);
  auto y = x;
  for (size_t at = 0, n = 1; at < y.size(); at += n, n = n * 3 % 501 + 1) {
    n = std::min(n, y.size() - at);
    stft.process(std::span(y).subspan(at, n), [](std::span<std::complex<float>>) {});
  }
  double error = 0, power = 0;
  const auto late = static_cast<size_t>(stft.latency());
  for (size_t i = late; i < y.size(); ++i) {
    error += std::pow(y[i] - x[i - late], 2);
    power += std::pow(x[i - late], 2);
  }
  EXPECT_LT(10 * std::log10(error / power), -120);
}

// A gain for all bins is the same as that gain on the sound, by either way.
TEST_P(StftOf, OneGainForAllIsThatGain) {
  const auto [size, overlap, taper] = GetParam();
  const auto x = random_samples(static_cast<size_t>(size) * 6, 15);
  auto slow = x, quick = x;
  Stft a(size, overlap, taper), b(size, overlap, taper);
  a.process(slow, [](std::span<std::complex<float>> bins) {
    for (auto& v : bins) v *= 0.25F;
  });
  b.process(quick, [](std::span<std::complex<float>>) { return std::optional(OneGain{0.25F, 0}); });
  for (size_t i = 0; i < x.size(); ++i) ASSERT_NEAR(slow[i], quick[i], 1e-5) << i;
}

INSTANTIATE_TEST_SUITE_P(Sizes, StftOf,
                         testing::Values(std::tuple(256, 2, Taper::square_root_hann),
                                         std::tuple(512, 4, Taper::square_root_hann),
                                         std::tuple(512, 4, Taper::hann),
                                         std::tuple(960, 4, Taper::hann),
                                         std::tuple(2048, 4, Taper::hann)));

TEST(Oversampler, UpAndDownIsAllButTheInput) {
  for (const double hz : {50.0, 1000.0, 8000.0, 15000.0, 19000.0}) {
    const AudioBuffer x = test::sine(hz, 0.5, 0.2);
    AudioBuffer y = x;
    Oversampler o;
    auto planes = std::make_unique<Oversampler::Planes>();
    for (int at = 0; at < y.frames(); at += 100) {
      const auto part = y.channel(0).subspan(
          static_cast<size_t>(at), static_cast<size_t>(std::min<Samples>(100, y.frames() - at)));
      o.up(part, *planes);
      o.down(*planes, part);
    }
    double error = 0, power = 0;
    for (size_t i = 2000; i < 9000; ++i) {
      const double want = x.channel(0)[i - static_cast<size_t>(Oversampler::latency())];
      error += std::pow(y.channel(0)[i] - want, 2);
      power += want * want;
    }
    // Twice 0.05 dB.
    EXPECT_LT(10 * std::log10(error / power), -38) << hz;
  }
}

// A sine at a quarter of the rate, its samples 45 degrees off its peaks: they stand 3.01 dB below it.
TEST(TruePeak, FindsThePeakBetweenTheSamples) {
  AudioBuffer x(1, 4800);
  for (size_t i = 0; i < 4800; ++i)
    x.channel(0)[i] = static_cast<float>(
        std::sin(3.14159265358979 / 2 * static_cast<double>(i) + 3.14159265358979 / 4));
  EXPECT_NEAR(largest_magnitude(x.channel(0)), std::sqrt(0.5), 1e-6);
  TruePeakDetector detector(1);
  std::vector<float> peaks(4800);
  for (int at = 0; at < 4800; at += 96)
    detector.process(x.block(at, 96), std::span(peaks).subspan(static_cast<size_t>(at), 96));
  // BS.1770-4 annex 2 allows four-times oversampling to read 0.5 dB low here at worst.
  const double found = 20 * std::log10(*std::max_element(peaks.begin() + 200, peaks.end() - 200));
  EXPECT_NEAR(found, 0, 0.1);
}

// What comes again after a loss joins on what was made up meanwhile: a tone whose phase has turned round by then does
// not jump (ITU-T G.711, Appendix I).
TEST(LossConcealment, WhatComesAgainJoinsOn) {
  LossConcealment made(8000);
  constexpr double amplitude = 10000;
  std::vector<std::int16_t> packet(160), all;
  const auto tone = [&](int at, double phase) {
    for (size_t i = 0; i < packet.size(); ++i)
      packet[i] = static_cast<std::int16_t>(
          amplitude *
          std::sin(2 * std::numbers::pi * 200 * (at + static_cast<double>(i)) / 8000 + phase));
  };
  for (int k = 0; k < 10; ++k) {
    if (k == 7) {
      made.conceal(packet);
    } else {
      // From the loss on it stands a quarter of a cycle elsewhere, so that it begins at its largest.
      tone(160 * k, k > 7 ? std::numbers::pi / 2 : 0);
      made.hear(packet);
    }
    all.insert(all.end(), packet.begin(), packet.end());
  }
  int steady = 0, joint = 0;
  for (size_t i = 400; i < 1000; ++i) steady = std::max(steady, std::abs(all[i] - all[i - 1]));
  for (size_t i = 1270; i < 1300; ++i) joint = std::max(joint, std::abs(all[i] - all[i - 1]));
  EXPECT_LT(joint, 2.5 * steady) << "a step of " << joint << " where the tone's own are " << steady;
}

}  // namespace
}  // namespace drevan
