// Hum removal on real speech with a made hum: what is taken, what is left alone, what is found.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/biquad.h"
#include "dsp/fft.h"
#include "dsp/hum.h"
#include "support/steps.h"

namespace drevan {
namespace {

constexpr double rate = 48000;

// Two prompts with a pause before, between and after, on a faint room.
AudioBuffer talk() {
  AudioBuffer x = test::noise(2e-4, 14, 3);
  const AudioBuffer a = test::speech("demo-congrats"), b = test::speech("vm-instructions");
  test::add(x, a, 0.8);
  test::add(x, b, 0.8 + static_cast<double>(std::min<Samples>(a.frames(), 6 * 48000)) / rate + 0.7);
  return x;
}

// A hum of `count` harmonics that fall by 3 dB each, of `level_db` RMS; its pitch may wander.
AudioBuffer hum_like(Samples frames, double hz, int count, double level_db, double wander_hz = 0) {
  AudioBuffer x(1, frames);
  double phase = 0;
  for (Samples i = 0; i < frames; ++i) {
    const double t = static_cast<double>(i) / rate;
    phase += (hz + wander_hz * std::sin(2 * std::numbers::pi * t / 9)) / rate;
    double sum = 0;
    for (int k = 1; k <= count; ++k) sum += std::pow(10, -3.0 * (k - 1) / 20) * std::sin(2 * std::numbers::pi * k * phase + k * k);
    x.channel(0)[static_cast<size_t>(i)] = static_cast<float>(sum);
  }
  const double gain = std::pow(10, (level_db - test::rms_db(x.channel(0))) / 20);
  for (float& v : x.channel(0)) v *= static_cast<float>(gain);
  return x;
}

AudioBuffer sum(const AudioBuffer& a, const AudioBuffer& b) {
  AudioBuffer out = a;
  test::add(out, b, 0);
  return out;
}

// Power of a third of an octave about `hz` (base ten bands of IEC 61260), without 4 Hz about every
// harmonic of `hum_hz`.
double third_octave(const AudioBuffer& x, double hz, double hum_hz) {
  const int size = 1 << 19;
  const RealFft fft(size);
  FloatVector time(size);
  std::copy_n(x.channel(0).begin(), std::min<size_t>(size, x.channel(0).size()), time.begin());
  ComplexVector bins(static_cast<size_t>(fft.bins()));
  fft.forward(time, bins);
  double power = 0;
  for (size_t k = 0; k < bins.size(); ++k) {
    const double f = static_cast<double>(k) * rate / size;
    if (f < hz * std::pow(10, -0.05) || f > hz * std::pow(10, 0.05)) continue;
    if (std::abs(f - std::round(f / hum_hz) * hum_hz) < 2) continue;
    power += static_cast<double>(std::norm(bins[k]));
  }
  return power;
}

struct Result {
  double fallen_db;       // of the hum, by all that is left of it
  double in_pauses_db;    // the same over the pauses alone
  double worst_band_db;   // change of speech in any third-octave band from 80 Hz
};

Result remove(double hz, int count, double wander_hz = 0) {
  const AudioBuffer speech = talk();
  const double speech_db = test::rms_db(speech.channel(0).subspan(48000, 5 * 48000));
  const AudioBuffer hum = hum_like(speech.frames(), hz, count, speech_db - 20, wander_hz);
  AudioBuffer opposite = hum;
  for (float& v : opposite.channel(0)) v = -v;
  AudioBuffer both = sum(speech, hum), other = sum(speech, opposite);
  const ChainStep step = test::with("hum-removal", {{"depth_db", 60}});
  const Findings found = test::learn_step(step, both);
  EXPECT_FALSE(found.empty());
  AudioBuffer clean = speech;
  for (AudioBuffer* x : {&both, &other, &clean}) test::run_step(step, *x, rate, &found);
  // What is left of the hum: what differs when it comes with the other sign.
  AudioBuffer left = both;
  for (size_t i = 0; i < left.channel(0).size(); ++i) left.channel(0)[i] = (both.channel(0)[i] - other.channel(0)[i]) / 2;
  const auto fallen = [&](size_t from, size_t n) {
    return test::rms_db(hum.channel(0).subspan(from, n)) - test::rms_db(left.channel(0).subspan(from, n));
  };
  Result r;
  r.fallen_db = fallen(0, static_cast<size_t>(hum.frames()) - 4800);
  r.in_pauses_db = fallen(0, 36000);
  r.worst_band_db = 0;
  for (int b = -11; b <= 9; ++b) {
    const double centre = 1000 * std::pow(10, 0.1 * b);
    const double change = 10 * std::log10(third_octave(clean, centre, hz) / third_octave(speech, centre, hz));
    if (std::abs(change) > std::abs(r.worst_band_db)) r.worst_band_db = change;
  }
  std::printf("  %.2f Hz, %d harmonics, wander %.3f: down %.1f dB, in the pauses %.1f, worst band %.2f dB, found %.4f\n", hz, count, wander_hz,
              r.fallen_db, r.in_pauses_db, r.worst_band_db, static_cast<double>(found.values[0]));
  return r;
}

TEST(HumRemoval, TakesThirtyDecibelsAndLeavesTheVoice) {
  for (const double hz : {50.0, 49.93, 60.02})
    for (const int count : {4, 15}) {
      const Result r = remove(hz, count);
      EXPECT_GT(r.fallen_db, 30) << hz;
      EXPECT_GT(r.in_pauses_db, 30) << hz;
      EXPECT_LT(std::abs(r.worst_band_db), 0.5) << hz;
    }
}

TEST(HumRemoval, FollowsADriftingHum) {
  const Result r = remove(50.05, 8, 0.02);
  EXPECT_GT(r.fallen_db, 30);
}

TEST(HumRemoval, SpeechWithoutHumIsLeftAlone) {
  for (const char* prompt : {"demo-congrats", "vm-instructions", "demo-instruct", "conf-adminmenu", "queue-thankyou", "demo-echotest"}) {
    AudioBuffer x = test::speech(prompt);
    EXPECT_TRUE(test::learn_step(test::with("hum-removal", {}), x).empty()) << prompt;
  }
}

// After a word ends nothing of it rings on at the notches: below -60 dB of the word within 50 ms.
TEST(HumRemoval, DoesNotRing) {
  AudioBuffer x = test::noise(1e-6, 3, 5);
  AudioBuffer word = test::words(0.5, 0.29);
  test::add(x, word, 1);
  const AudioBuffer in = x;
  Findings found{{50.0F}};
  for (int h = 0; h < most_hum_harmonics; ++h) found.values.push_back(h < 12 ? 20.0F : 0.0F);
  test::run_step(test::with("hum-removal", {}), x, rate, &found);
  const double word_db = test::rms_db(in.channel(0).subspan(48000, 13000));
  for (const size_t at : {size_t{48000 - 4800}, size_t{48000 + 13920 + 2400}, size_t{48000 + 13920 + 12000}})
    EXPECT_LT(test::rms_db(x.channel(0).subspan(at, 2400)), word_db - 60) << at;
}

TEST(HumRemoval, MainsCanBeChosen) {
  AudioBuffer x = test::noise(1e-3, 8, 9);
  test::add(x, hum_like(x.frames(), 50, 6, -40), 0);
  EXPECT_NEAR(static_cast<double>(test::learn_step(test::with("hum-removal", {{"mains", 1}}), x).values.at(0)), 50, 0.01);
  EXPECT_TRUE(test::learn_step(test::with("hum-removal", {{"mains", 2}}), x).empty());
}

}  // namespace
}  // namespace drevan
