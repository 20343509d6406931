// SPDX-License-Identifier: GPL-3.0-or-later
// Hum removal on real speech with a made hum: what is taken, what is left alone, what is found.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/biquad.h"
#include "dsp/fft.h"
#include "dsp/hum_track.h"
#include "support/extent.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;

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
    phase += (hz + wander_hz * std::sin(2 * std::numbers::pi * t / 17)) / rate;
    double sum = 0;
    for (int k = 1; k <= count; ++k)
      sum += std::pow(10, -3.0 * (k - 1) / 20) * std::sin(2 * std::numbers::pi * k * phase + k * k);
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

// What people hear: the output against clean speech, all of it, in dB of the hum that was added.
struct Error {
  double in_pauses_db = 0, under_speech_db = 0;
};

double power_db(const AudioBuffer& x, const std::vector<bool>& where, bool wanted) {
  double sum = 0;
  size_t n = 0;
  for (size_t i = 0; i < where.size(); ++i)
    if (where[i] == wanted)
      sum += static_cast<double>(x.channel(0)[i]) * static_cast<double>(x.channel(0)[i]), ++n;
  return n > 0 ? 10 * std::log10(sum / static_cast<double>(n) + 1e-30) : -300;
}

// Ten seconds of speech, twice, with 1.5 s of a faint room before, between and after; or speech without end.
Error removal_error(const AudioBuffer& voice, bool pauses, double hz, int count, double drift_hz) {
  const double gap = pauses ? 1.5 : 0;
  const Samples half = voice.frames() / 2;
  AudioBuffer clean = test::noise(2e-4, 3 * gap + static_cast<double>(voice.frames()) / rate, 3);
  std::vector<bool> spoken(static_cast<size_t>(clean.frames()));
  for (const Samples part : {Samples{0}, half})
    for (Samples i = 0; i < half; ++i) {
      const auto at =
          static_cast<size_t>(std::llround(gap * rate) * (part == 0 ? 1 : 2) + part + i);
      clean.channel(0)[at] += voice.channel(0)[static_cast<size_t>(part + i)];
      spoken[at] = true;
    }
  const AudioBuffer hum =
      hum_like(clean.frames(), hz, count, power_db(clean, spoken, true) - 20, drift_hz);
  AudioBuffer x = sum(clean, hum);
  const ChainStep step = test::with("hum-removal", {{"depth_db", 60}});
  const Findings found = test::learn_step(step, x);
  test::run_step(step, x, rate, &found);
  for (size_t i = 0; i < x.channel(0).size(); ++i) x.channel(0)[i] -= clean.channel(0)[i];
  return {power_db(x, spoken, false) - power_db(hum, spoken, false),
          power_db(x, spoken, true) - power_db(hum, spoken, true)};
}

TEST(HumRemoval, TheWholeErrorOnFourVoices) {
  DREVAN_IN_FULL_ONLY("minutes of four voices");
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  std::printf(
      "  error against clean speech in dB of the hum, which is 20 dB under the speech, 8 "
      "harmonics\n"
      "  voice               mains  drift   pauses   speech between   speech without pauses\n");
  for (const char* name : test::voices) {
    const AudioBuffer voice = test::continuous_speech(name, 20);
    for (const double hz : {50.013, 60.013})
      for (const double drift : {0.0, 0.05}) {
        const Error with = removal_error(voice, true, hz, 8, drift),
                    without = removal_error(voice, false, hz, 8, drift);
        std::printf("  %-20s %.0f Hz  %.2f   %6.1f   %6.1f           %6.1f\n", name, hz, drift,
                    with.in_pauses_db, with.under_speech_db, without.under_speech_db);
        EXPECT_LT(with.in_pauses_db, drift > 0 ? -20 : -30) << name << hz;
        EXPECT_LT(with.under_speech_db, drift > 0 ? -12 : -25) << name << hz;
        EXPECT_LT(without.under_speech_db, drift > 0 ? -12 : -25) << name << hz;
      }
  }
}

// Harmonics up to 2 kHz, and a mains far off: what is left, and what the voice loses in any third of an octave.
TEST(HumRemoval, LeavesTheVoice) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const double hz : {49.93, 60.02})
    for (const int count : {4, 30}) {
      const AudioBuffer speech = talk();
      const AudioBuffer hum =
          hum_like(speech.frames(), hz, count,
                   test::rms_db(speech.channel(0).subspan(48000, 5 * 48000)) - 20);
      AudioBuffer x = sum(speech, hum);
      const ChainStep step = test::with("hum-removal", {{"depth_db", 60}});
      const Findings found = test::learn_step(step, x);
      EXPECT_NEAR(hum_track_from(found.values)->hum.hz, hz, 0.01);
      test::run_step(step, x, rate, &found);
      double worst = 0, error = 0, power = 0;
      for (int b = -11; b <= 9; ++b) {
        const double centre = 1000 * std::pow(10, 0.1 * b);
        const double change =
            10 * std::log10(third_octave(x, centre, hz) / third_octave(speech, centre, hz));
        if (std::abs(change) > std::abs(worst)) worst = change;
      }
      for (size_t i = 0; i < x.channel(0).size(); ++i) {
        error += std::pow(static_cast<double>(x.channel(0)[i] - speech.channel(0)[i]), 2);
        power += std::pow(static_cast<double>(hum.channel(0)[i]), 2);
      }
      std::printf("  %.2f Hz, %d harmonics: error %.1f dB of the hum, worst band %.2f dB\n", hz,
                  count, 10 * std::log10(error / power), worst);
      EXPECT_LT(10 * std::log10(error / power), -27) << hz << " " << count;
      EXPECT_LT(std::abs(worst), 0.3) << hz;
    }
}

// Played from the middle, with the step's frame told, it takes the same hum to the bit.
TEST(HumRemoval, KnowsItsPlaceInTheClip) {
  AudioBuffer x = talk();
  test::add(x, hum_like(x.frames(), 50, 6, -35, 0.05), 0);
  const ChainStep step = test::with("hum-removal", {});
  const Findings found = test::learn_step(step, x);
  AudioBuffer whole = x;
  test::run_step(step, whole, rate, &found);
  const auto later = make_processor(*step.type, step.settings, found, {rate, 1, 4096});
  later->reset();
  later->place(123457);
  AudioBuffer part(1, 4096);
  std::copy_n(x.channel(0).begin() + 123457, 4096, part.channel(0).begin());
  later->process(part.block());
  for (size_t i = 0; i < 4096; ++i)
    ASSERT_EQ(part.channel(0)[i], whole.channel(0)[123457 + i]) << i;
}

// A recorder that was stopped leaves digital silence: nothing hums in it, before or after.
TEST(HumRemoval, DigitalSilenceStaysSilent) {
  AudioBuffer x = talk();
  test::add(x, hum_like(x.frames(), 50, 6, -35), 0);
  std::fill_n(x.channel(0).begin() + 200000, 48000, 0.0F);
  test::run_step(test::with("hum-removal", {}), x);
  for (size_t i = 200000; i < 248000; ++i) ASSERT_EQ(x.channel(0)[i], 0.0F);
}

// Each channel has its own hum, of one mains.
TEST(HumRemoval, StereoChannelsHumEachForThemselves) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const AudioBuffer mono = talk();
  AudioBuffer x(2, mono.frames());
  const AudioBuffer left = hum_like(mono.frames(), 50, 6, -35, 0.05),
                    right = hum_like(mono.frames(), 50, 3, -45, 0.05);
  for (size_t i = 0; i < mono.channel(0).size(); ++i) {
    x.channel(0)[i] = mono.channel(0)[i] + left.channel(0)[i];
    x.channel(1)[i] = mono.channel(0)[i] - right.channel(0)[i];
  }
  test::run_step(test::with("hum-removal", {{"depth_db", 60}}), x);
  for (const auto& [c, hum] : {std::pair(0, &left), std::pair(1, &right)}) {
    std::vector<float> error;
    for (size_t i = 0; i < mono.channel(0).size(); ++i)
      error.push_back(x.channel(c)[i] - mono.channel(0)[i]);
    EXPECT_LT(test::rms_db(error) - test::rms_db(hum->channel(0)), -20) << c;
  }
}

// A longer recording: the reference is settled after two minutes, the rest is followed as it comes.
TEST(HumRemoval, FollowsALongDriftingHum) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  AudioBuffer clean = test::noise(1e-3, 200, 3);
  const AudioBuffer hum = hum_like(clean.frames(), 50, 6, -40, 0.05);
  AudioBuffer x = sum(clean, hum);
  test::run_step(test::with("hum-removal", {{"depth_db", 60}}), x);
  std::vector<float> error;
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    error.push_back(x.channel(0)[i] - clean.channel(0)[i]);
  EXPECT_LT(test::rms_db(error) - test::rms_db(hum.channel(0)), -25);
}

TEST(HumRemoval, SpeechWithoutHumIsLeftAlone) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const char* prompt : {"demo-congrats", "vm-instructions", "demo-instruct", "conf-adminmenu",
                             "queue-thankyou", "demo-echotest"}) {
    AudioBuffer x = test::speech(prompt);
    EXPECT_TRUE(test::learn_step(test::with("hum-removal", {}), x).empty()) << prompt;
  }
}

TEST(HumRemoval, MainsCanBeChosen) {
  AudioBuffer x = test::noise(1e-3, 8, 9);
  test::add(x, hum_like(x.frames(), 50, 6, -40), 0);
  const auto found =
      hum_track_from(test::learn_step(test::with("hum-removal", {{"mains", 1}}), x).values);
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->hum.hz, 50, 0.01);
  EXPECT_TRUE(test::learn_step(test::with("hum-removal", {{"mains", 2}}), x).empty());
}

}  // namespace
}  // namespace drevan
