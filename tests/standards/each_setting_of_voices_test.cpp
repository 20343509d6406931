// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of what is done to voices: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/band_bank.h"
#include "dsp/biquad.h"
#include "support/each_setting.h"

namespace drevan::test::each_setting {
namespace {

// A saw or the sum of saws of even power has an rms of 1 / sqrt(3) of its peak.
const double saw_db = to_db(1 / std::sqrt(3.0));

TEST(EachSetting, TheVocodersCarrierIsHeardAloneAndBesideTheVoice) {
  const AudioBuffer nothing = silence(1.5);
  // Alone it is 0.3 of its own size, whatever enters.
  const std::vector<Named> saw{{"carrier", 1}, {"carrier_hz", 110}, {"sharp_db", -60}};
  auto alone = saw;
  alone.push_back({"hear", 1});
  EXPECT_NEAR(level_db(through("vocoder", alone, nothing), 0, 0.5, 0.9), saw_db + to_db(0.3), 0.1);
  EXPECT_NEAR(level_db(through("vocoder", alone, words(0.5, 1.5)), 0, 0.5, 0.9),
              saw_db + to_db(0.3), 0.1);
  EXPECT_LT(level_db(through("vocoder", saw, nothing), 0, 0.5, 0.9), -90) << "the result alone";
  for (const double db : {-30.0, -12.0, 0.0}) {
    auto beside = saw;
    beside.push_back({"carrier_db", db});
    EXPECT_NEAR(level_db(through("vocoder", beside, nothing), 0, 0.5, 0.9), saw_db + db, 0.1) << db;
  }
}

// ISO 16: A4 = 440 Hz; twelve equal semitones.
TEST(EachSetting, TheVocodersChordHasTheNotesItNames) {
  ChainStep step = set("vocoder", {{"carrier", 3}, {"hear", 1}});
  set_text(step, "chord", "A3 E4 C#5");
  const auto spectrum = line_spectrum(through(step, silence(1.5)), 16384);
  const double notes[] = {220, 220 * std::exp2(7 / 12.0), 220 * std::exp2(16 / 12.0)};
  for (const double hz : notes)
    EXPECT_NEAR(to_db(line_at(spectrum, hz, rate)),
                to_db(0.3 * 2 / std::numbers::pi / std::sqrt(3.0)), 0.9)
        << hz << ": the first line of a saw is 2 / pi of its peak, less between two bins";
  for (const double hz : {110.0, 262.0, 392.0, 500.0})
    EXPECT_LT(to_db(line_at(spectrum, hz, rate)), -50) << hz;
}

TEST(EachSetting, TheVocoderLetsSharpSoundsThroughAtTheirLevel) {
  // A tone far above the 5 kHz at which they begin, and one far below.
  for (const auto& [hz, wanted] : {std::pair{12000.0, true}, {500.0, false}}) {
    const AudioBuffer x = sine(hz, 0.2, 1.5);
    const auto with_sharp = [&, hz = hz](double db) {
      return through("vocoder", {{"carrier", 1}, {"sharp_db", db}}, x);
    };
    const AudioBuffer none = with_sharp(-60);
    for (const double db : {-20.0, -8.0, 0.0}) {
      const double own = level_db(difference(with_sharp(db), none), 0, 0.5, 0.9);
      if (wanted)
        EXPECT_NEAR(own - level_db(x, 0, 0.5, 0.9), db, 0.3) << hz;
      else
        EXPECT_LT(own - level_db(x, 0, 0.5, 0.9), -60) << hz;
    }
  }
}

// The fifth line of a saw is 7.96 dB below its second (J. Fourier, 1822). Evened, either speaks as
// loud with a voice that is a tone in the middle of its band.
TEST(EachSetting, TheVocodersCarrierKeepsOrLosesItsSlope) {
  const BandPlan plan{100, 8000, 24};
  const auto spoken_db = [&](int band, int line, double pct) {
    const double hz = plan.centre_hz(band);
    return tone_db(
        through("vocoder", {{"carrier", 1}, {"carrier_hz", hz / line}, {"flatten_pct", pct}},
                sine(hz, 0.1, 3)),
        hz, 1, 1.5);
  };
  for (const int band : {13, 17}) {
    EXPECT_NEAR(spoken_db(band, 2, 0) - spoken_db(band, 5, 0), 7.96, 0.5) << band;
    EXPECT_NEAR(spoken_db(band, 2, 100) - spoken_db(band, 5, 100), 0, 2.5)
        << band << ", with what the bands beside it add";
  }
}

// Long tones that stand for vowels, and between them noise above 5 kHz over a faint one, as loud
// against them as asked.
struct Sibilant {
  static constexpr double s_at = 1.0, s_long = 0.3, vowel_db = -20;
  AudioBuffer sound, hiss;
  explicit Sibilant(double hiss_db)
      : sound(sine(1000, from_db(vowel_db) * std::sqrt(2), 3)), hiss(1, sound.frames()) {
    const AudioBuffer white = noise(1, 3, 7);
    Biquad high[2];
    for (int k = 0; k < 2; ++k)
      high[k].set(design_biquad(BiquadKind::high_pass, 5000, butterworth_q(4, k), 0, rate));
    const auto from = static_cast<size_t>(s_at * rate), n = static_cast<size_t>(s_long * rate);
    for (size_t i = 0; i < hiss.channel(0).size(); ++i) {
      double y = static_cast<double>(white.channel(0)[i]);
      for (auto& h : high) y = h.process(y);
      const bool on = i >= from && i < from + n;
      hiss.channel(0)[i] = on ? static_cast<float>(y) : 0;
      if (on) sound.channel(0)[i] *= static_cast<float>(from_db(-30));
    }
    const double own = level_db(hiss, 0, s_at, s_long);
    for (size_t i = from; i < from + n; ++i) {
      hiss.channel(0)[i] *= static_cast<float>(from_db(vowel_db + hiss_db - own));
      sound.channel(0)[i] += hiss.channel(0)[i];
    }
  }
};
double heard_hiss_db(const AudioBuffer& x) {
  // What is not the tone, in its steady part.
  const double all = level_db(x, 0, 1.1, 0.15), tone = tone_db(x, 1000, 1.1, 0.15);
  return 10 * std::log10(std::pow(10, all / 10) - std::pow(10, tone / 10));
}

TEST(EachSetting, TheDeEssersLineIsAgainstTheVoice) {
  const Sibilant s(-10);
  const auto cut = [&](double line) {
    const AudioBuffer out =
        through("de-ess", {{"line_db", line}, {"most_db", 24}, {"mode", 1}}, s.sound);
    return heard_hiss_db(s.sound) - heard_hiss_db(out);
  };
  EXPECT_NEAR(cut(-6), 0, 0.05) << "it lies 4 dB below the line";
  // Most of what is above the line, never more than that.
  for (const double line : {-14.0, -20.0, -30.0}) {
    EXPECT_GT(cut(line), 0.55 * (-10 - line)) << line;
    EXPECT_LT(cut(line), 0.95 * (-10 - line)) << line;
  }
}

TEST(EachSetting, TheDeEsserCutsTheHighBandOrAll) {
  const Sibilant s(-6);
  const auto fell = [&](int mode) {
    const AudioBuffer out = through(
        "de-ess", {{"line_db", -20}, {"most_db", 8}, {"band_hz", 4500}, {"mode", mode}}, s.sound);
    return std::pair{tone_db(s.sound, 1000, 1.1, 0.15) - tone_db(out, 1000, 1.1, 0.15),
                     heard_hiss_db(s.sound) - heard_hiss_db(out)};
  };
  const auto [split_tone, split_hiss] = fell(0);
  EXPECT_NEAR(split_tone, 0, 0.7) << "what lies below the band stays";
  EXPECT_GT(split_hiss, 6);
  const auto [whole_tone, whole_hiss] = fell(1);
  EXPECT_NEAR(whole_tone, 8, 0.3);
  EXPECT_NEAR(whole_hiss, 8, 0.3);
}

TEST(EachSetting, HumIsTakenUpToTheHarmonicThatIsSet) {
  AudioBuffer x = noise(from_db(-70), 8, 5);
  for (int h = 1; h <= 10; ++h) add(x, sine(50 * h, 0.01, 8), 0);
  for (const double most : {1.0, 4.0, 10.0}) {
    const AudioBuffer out = through("hum-removal", {{"harmonics", most}, {"depth_db", 40}}, x);
    for (int h = 1; h <= 10; ++h) {
      const double fell = tone_db(x, 50 * h, 3, 4) - tone_db(out, 50 * h, 3, 4);
      if (h <= most)
        EXPECT_GT(fell, 30) << h << " of " << most;
      else
        EXPECT_NEAR(fell, 0, 0.1) << h << " of " << most;
    }
  }
}

// Noise that is louder than the room tone by what the lift says is met as if it had been learned.
TEST(EachSetting, TheLiftIsHowMuchLouderTheNoiseIsThanItsTone) {
  AudioBuffer tone = noise(0.01, 3, 1);
  AudioBuffer clip = noise(0.01, 4, 2);
  add(clip, words(0.3, 2), 1);
  const ChainStep plain = set("noise-reduction", {{"depth_db", 20}});
  const Findings found = learn_step(plain, tone);
  const AudioBuffer wanted = through(plain, clip, &found);
  for (const double db : {-6.0, 3.0, 6.0}) {
    AudioBuffer quiet = tone;
    for (float& v : quiet.channel(0)) v *= static_cast<float>(from_db(-db));
    const Findings less = learn_step(plain, quiet);
    const AudioBuffer out =
        through(set("noise-reduction", {{"depth_db", 20}, {"lift_db", db}}), clip, &less);
    EXPECT_LT(rms_db(difference(out, wanted).channel(0)), rms_db(wanted.channel(0)) - 60) << db;
    const AudioBuffer without = through(plain, clip, &less);
    EXPECT_GT(rms_db(difference(without, wanted).channel(0)), rms_db(wanted.channel(0)) - 50) << db;
  }
}

// Two sentences 15 dB apart; only the louder one counts for the clip's loudness, as what lies 10 LU
// below is gated out (ITU-R BS.1770-5).
TEST(EachSetting, WhatLiesBelowTheRidesPauseIsNotLifted) {
  AudioBuffer x = silence(12);
  AudioBuffer loud = noise(0.05, 4, 1), quiet = noise(0.05, 4, 2);
  for (float& v : quiet.channel(0)) v *= static_cast<float>(from_db(-15));
  add(x, loud, 1), add(x, quiet, 7);
  const auto lifted = [&](double pause_db) {
    const AudioBuffer out =
        through("ride", {{"goal_lufs", -9}, {"up_db", 12}, {"pause_db", pause_db}}, x);
    return level_db(out, 0, 9, 1.5) - level_db(x, 0, 9, 1.5);
  };
  EXPECT_NEAR(lifted(-17), 12, 0.5) << "speech: as far as it may";
  EXPECT_NEAR(lifted(-13), 0, 0.1) << "a pause";
}

}  // namespace
}  // namespace drevan::test::each_setting
