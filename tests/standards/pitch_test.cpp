// SPDX-License-Identifier: GPL-3.0-or-later
// The pitch step against what is known of tones, vowels and real voices.
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <complex>
#include <limits>
#include <numbers>

#include "support/rate.h"
#include "support/sanitized.h"
#include "support/speech_metrics.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;
constexpr int voice = 0, any_sound = 1;

ChainStep pitch(int way, double shift, double formant = 0, bool move = false) {
  return test::with(
      "pitch",
      {{"way", way}, {"shift_st", shift}, {"formant_st", formant}, {"formants", move ? 1 : 0}});
}

AudioBuffer shifted(const ChainStep& step, AudioBuffer x) {
  test::run_step(step, x);
  return x;
}

// Whole periods between the first and the last upward crossing of zero.
double tone_hz(std::span<const float> x) {
  double first = -1, last = 0, count = 0;
  for (size_t i = 1; i < x.size(); ++i) {
    if (x[i - 1] >= 0 || x[i] < 0) continue;
    const auto a = static_cast<double>(x[i - 1]), b = static_cast<double>(x[i]);
    last = static_cast<double>(i) - b / (b - a);
    if (first < 0) first = last;
    ++count;
  }
  return (count - 1) * rate / (last - first);
}

// Pulses through resonators (D. H. Klatt, "Software for a cascade/parallel formant synthesizer",
// JASA 67, 1980).
AudioBuffer vowel(double pitch_hz, std::initializer_list<double> formants, double seconds) {
  AudioBuffer x = test::silence(seconds);
  double phase = 0;
  for (float& v : x.channel(0)) {
    phase += pitch_hz / rate;
    if (phase >= 1) phase -= 1, v = 1;
  }
  // A glottis falls by 12 dB an octave, lips raise by 6.
  double low = 0;
  for (float& v : x.channel(0))
    v = static_cast<float>(low += 0.02 * (static_cast<double>(v) - low));
  for (const double f : formants) {
    const double r = std::exp(-std::numbers::pi * (50 + f / 25) / rate);
    const double a = 2 * r * std::cos(2 * std::numbers::pi * f / rate), b = -r * r;
    double y1 = 0, y2 = 0;
    for (float& v : x.channel(0)) {
      const double y = (1 - a - b) * static_cast<double>(v) + a * y1 + b * y2;
      y2 = y1, y1 = y;
      v = static_cast<float>(y);
    }
  }
  const auto most = *std::ranges::max_element(x.channel(0));
  for (float& v : x.channel(0)) v *= 0.3F / most;
  return x;
}

// Crests of the all-pole envelope (J. Makhoul, "Linear prediction: a tutorial review", Proc. IEEE
// 63(4), 1975) of the sound at 8 kHz.
std::vector<double> formants_of(std::span<const float> x) {
  constexpr int order = 12;
  std::vector<double> low;
  const auto sinc = [](double t) { return t == 0 ? 1 : std::sin(t) / t; };
  for (size_t i = 12000; i + 12000 < x.size(); i += 6) {
    double sum = 0;
    for (int k = -72; k <= 72; ++k)
      sum += static_cast<double>(x[i + static_cast<size_t>(k + 72) - 72]) *
             sinc(std::numbers::pi * k * 3700 / 24000) *
             (0.5 + 0.5 * std::cos(std::numbers::pi * k / 73));
    low.push_back(sum);
  }
  for (size_t i = low.size(); i-- > 1;) low[i] -= 0.95 * low[i - 1];
  std::vector<double> r(order + 1);
  for (int k = 0; k <= order; ++k)
    for (size_t i = static_cast<size_t>(k); i < low.size(); ++i)
      r[static_cast<size_t>(k)] += low[i] * low[i - static_cast<size_t>(k)];
  std::vector<double> a(order + 1), before;
  a[0] = 1;
  double error = r[0] * (1 + 1e-6);
  for (size_t m = 1; m <= order; ++m) {
    double sum = 0;
    for (size_t k = 0; k < m; ++k) sum += a[k] * r[m - k];
    const double reflection = -sum / error;
    before = a;
    for (size_t k = 1; k <= m; ++k) a[k] = before[k] + reflection * before[m - k];
    error *= 1 - reflection * reflection;
  }
  std::vector<double> level, crests;
  for (int hz = 0; hz < 4000; hz += 5) {
    std::complex<double> sum = 0;
    for (size_t k = 0; k <= order; ++k)
      sum += a[k] * std::polar(1.0, -2 * std::numbers::pi * hz * static_cast<double>(k) / 8000);
    level.push_back(-std::log(std::abs(sum)));
  }
  for (size_t i = 30; i + 1 < level.size(); ++i)
    if (level[i] > level[i - 1] && level[i] >= level[i + 1])
      crests.push_back(5.0 * static_cast<double>(i));
  return crests;
}

double nearest(const std::vector<double>& all, double hz) {
  double best = 1e9;
  for (const double f : all)
    if (std::abs(f - hz) < std::abs(best - hz)) best = f;
  return best;
}

double median_cents_off(std::span<const float> before, std::span<const float> after, double shift) {
  const auto a = test::pitches(before), b = test::pitches(after);
  std::vector<double> off;
  for (size_t i = 0; i < std::min(a.size(), b.size()); ++i)
    if (a[i] > 0 && b[i] > 0) off.push_back(1200 * std::log2(b[i] / a[i]) - 100 * shift);
  std::ranges::sort(off);
  return off.at(off.size() / 2);
}

TEST(PitchStandard, AToneOfAnySoundIsWithinTwoCents) {
  for (double shift = -24; shift <= 24; shift += 6) {
    const AudioBuffer x = shifted(pitch(any_sound, shift, 0, true), test::sine(440, 0.3, 3));
    const double hz = tone_hz(x.channel(0).subspan(48000, 72000));
    EXPECT_NEAR(1200 * std::log2(hz / 440), 100 * shift, 2) << shift;
  }
}

TEST(PitchStandard, AVoicesPitchIsWithinTwoCentsAndItsFormantsStay) {
  // Men's vowels of G. E. Peterson and H. L. Barney, "Control methods used in a study of the
  // vowels", JASA 24, 1952: as in "father", "heed", "food" (values from memory).
  for (const auto& formants : {std::initializer_list<double>{730, 1090, 2440},
                               std::initializer_list<double>{270, 2290, 3010},
                               std::initializer_list<double>{300, 870, 2240}})
    for (const double shift : {-5.0, 5.0}) {
      const AudioBuffer in = vowel(110, formants, 2);
      const AudioBuffer x = shifted(pitch(voice, shift), in);
      EXPECT_NEAR(median_cents_off(in.channel(0), x.channel(0), shift), 0, 2);
      const auto found = formants_of(x.channel(0)), first = formants_of(in.channel(0));
      for (const double f : formants) {
        // What the measure itself finds in the vowel before.
        ASSERT_NEAR(nearest(first, f) / f, 1, 0.07) << f;
        EXPECT_NEAR(nearest(found, f) / nearest(first, f), 1, 0.08) << f << ", shift " << shift;
      }
    }
}

TEST(PitchStandard, FormantsMoveWhenTheyShall) {
  const AudioBuffer in = vowel(110, {500, 1500, 2500}, 2);
  // The engine of any sound finds formants by itself, and less truly: only that they go with the
  // pitch is asked of it.
  for (const auto& [step, moved] : {std::pair(pitch(voice, 0, 4), std::exp2(4 / 12.0)),
                                    std::pair(pitch(voice, 0, -4), std::exp2(-4 / 12.0)),
                                    std::pair(pitch(voice, 3, 0, true), std::exp2(3 / 12.0)),
                                    std::pair(pitch(any_sound, 3, 0, true), std::exp2(3 / 12.0)),
                                    std::pair(pitch(voice, -5, 3), std::exp2(3 / 12.0))}) {
    const auto found = formants_of(shifted(step, in).channel(0));
    for (const double f : {500.0, 1500.0, 2500.0})
      EXPECT_NEAR(nearest(found, f * moved) / (f * moved), 1, 0.08) << f << " by " << moved;
  }
}

TEST(PitchStandard, RealVoicesAreInTuneAndKeepTheirFormants) {
#ifdef DREVAN_SANITIZED
  GTEST_SKIP() << "slow";
#endif
  // One of a woman, one of a man; six in benchmarks/voices.
  for (const char* name : {test::voices[1], test::voices[2]}) {
    const AudioBuffer in = test::continuous_speech(name, 3);
    for (const double shift : {-5.0, 5.0}) {
      const AudioBuffer ours = shifted(pitch(voice, shift), in);
      const AudioBuffer other = shifted(pitch(any_sound, shift), in);
      EXPECT_NEAR(median_cents_off(in.channel(0), ours.channel(0), shift), 0, 10) << name;
      EXPECT_NEAR(median_cents_off(in.channel(0), other.channel(0), shift), 0, 10) << name;
      EXPECT_LT(test::envelope_distance_db(in.channel(0), ours.channel(0)),
                test::envelope_distance_db(in.channel(0), other.channel(0)))
          << name << " by " << shift;
      EXPECT_GT(test::harmonicity_db(ours.channel(0)), test::harmonicity_db(in.channel(0)) - 3);
      // There and back: as clear as it was.
      const AudioBuffer back = shifted(pitch(voice, -shift), ours);
      EXPECT_GT(test::stoi(in.channel(0), back.channel(0)), 0.92) << name << " by " << shift;
      EXPECT_NEAR(test::rms_db(ours.channel(0)), test::rms_db(in.channel(0)), 1.5) << name;
    }
  }
}

TEST(PitchStandard, WithoutAShiftAVoiceComesOutAsItWent) {
  const AudioBuffer in = test::continuous_speech("it_IT_m_Carlo", 3);
  const AudioBuffer x = shifted(pitch(voice, 0), in);
  double off = 0, power = 0;
  for (size_t i = 0; i < in.channel(0).size(); ++i) {
    off += std::pow(static_cast<double>(x.channel(0)[i] - in.channel(0)[i]), 2);
    power += std::pow(static_cast<double>(in.channel(0)[i]), 2);
  }
  EXPECT_LT(10 * std::log10(off / power), -40);
}

// The engine's own delay changes with the shift.
TEST(PitchStandard, SoundsStayInPlace) {
  for (const double shift : {-12.0, -5.0, 0.0, 5.0, 12.0, 24.0}) {
    AudioBuffer in = test::silence(2);
    for (size_t i = 0; i < 960; ++i)
      in.channel(0)[48000 + i] = static_cast<float>(
          0.5 * (0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / 960)) *
          std::sin(2 * std::numbers::pi * 700 * static_cast<double>(i) / rate));
    const AudioBuffer x = shifted(pitch(any_sound, shift, 0, true), in);
    double power = 0, at = 0;
    for (size_t i = 0; i < x.channel(0).size(); ++i) {
      const double p = std::pow(static_cast<double>(x.channel(0)[i]), 2);
      power += p, at += p * static_cast<double>(i);
    }
    EXPECT_NEAR(at / power / rate, 1.01, 0.006) << shift;
  }
}

// What the picture draws, at the moment that leaves.
TEST(PitchStandard, BothWaysTellThePitchBeforeAndAfter) {
  for (const int way : {voice, any_sound}) {
    const ChainStep step = pitch(way, 5);
    const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
    AudioBuffer low = vowel(110, {500, 1500, 2500}, 1), high = vowel(180, {500, 1500, 2500}, 1);
    std::array<float, max_readings> told{};
    const auto hear = [&](AudioBuffer& x, Samples from, Samples to) {
      for (Samples at = from; at < to; at += 240) p->process(x.block(at, 240));
      EXPECT_EQ(p->readings(told), 2);
    };
    hear(low, 0, 48000);
    EXPECT_NEAR(told[0], 110, 1) << way;
    EXPECT_NEAR(told[1], 110 * std::exp2(5 / 12.0), 1.5) << way;
    // The new one has entered, but has not left yet.
    const Samples soon = p->latency() / 240 * 240 - 2400;
    hear(high, 0, soon);
    EXPECT_NEAR(told[0], 110, 1) << way;
    hear(high, soon, soon + 9600);
    EXPECT_NEAR(told[0], 180, 1.5) << way;
  }
}

// The catalogue's checks begin with the other way.
TEST(PitchStandard, AnySoundIsTheSameForAnyBlockSizeAndAfterReset) {
  AudioBuffer first = test::words(0.3, 1), parts = first;
  const ChainStep step = pitch(any_sound, 5);
  const auto run = [&](Processor& p, AudioBuffer& x, int block) {
    for (Samples at = 0; at < x.frames(); at += block)
      p.process(x.block(at, static_cast<int>(std::min<Samples>(block, x.frames() - at))));
  };
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
  run(*p, first, 4096);
  p->reset();
  run(*p, parts, 477);
  for (size_t i = 0; i < first.channel(0).size(); ++i)
    ASSERT_EQ(first.channel(0)[i], parts.channel(0)[i]) << i;
}

TEST(PitchStandard, AnySoundComesThroughAgainAfterWhatIsNoSound) {
  const ChainStep step = pitch(any_sound, 5);
  const auto p = make_processor(*step.type, step.settings, {}, {rate, 1, 4096});
  AudioBuffer bad = test::words(0.3, 0.5), good = test::words(0.3, 1);
  for (size_t i = 4000; i < 4100; ++i)
    bad.channel(0)[i] =
        i % 2 == 0 ? std::numeric_limits<float>::max() : std::numeric_limits<float>::quiet_NaN();
  for (AudioBuffer* x : {&bad, &good})
    for (Samples at = 0; at < x->frames(); at += 4096)
      p->process(x->block(at, static_cast<int>(std::min<Samples>(4096, x->frames() - at))));
  for (const AudioBuffer* x : {&bad, &good})
    for (const float v : x->channel(0)) ASSERT_TRUE(std::isfinite(v));
  EXPECT_GT(test::rms_db(good.channel(0).subspan(36000)), -40);
}

TEST(PitchStandard, AVoiceIsTenTimesAsFastAsAnySound) {
#ifdef DREVAN_SANITIZED
  GTEST_SKIP() << "a matter of speed";
#endif
  using Clock = std::chrono::steady_clock;
  std::array<double, 2> seconds{1e9, 1e9};
  const AudioBuffer in = test::words(0.3, 4);
  for (int turn = 0; turn < 3; ++turn)
    for (const int way : {voice, any_sound}) {
      const auto begin = Clock::now();
      shifted(pitch(way, 4), in);
      auto& best = seconds[static_cast<size_t>(way)];
      best = std::min(best, std::chrono::duration<double>(Clock::now() - begin).count());
    }
  EXPECT_GT(seconds[any_sound] / seconds[voice], 10);
}

}  // namespace
}  // namespace drevan
