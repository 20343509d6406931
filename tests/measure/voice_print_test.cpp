// SPDX-License-Identifier: GPL-3.0-or-later
// Who speaks: four real voices of Debian's speech packages, twelve clips each.
#include "measure/voice_print.h"

#include <gtest/gtest.h>

#include <cmath>
#include <map>

#include "engine/planning/clip_sound.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

constexpr int clips_each = 12;

struct Heard {
  std::vector<VoicePrint> prints;
  std::vector<int> truth;
};

// As the application hears them: files, through a reader at the voices' rate.
Heard heard(double snr_db, unsigned seed, double clip_s = 4) {
  const test::TempFolder folder;
  Heard out;
  for (int v = 0; v < 4; ++v) {
    static std::map<int, AudioBuffer> talks;
    if (!talks.contains(v))
      talks.emplace(v, test::continuous_speech(test::voices[v], clips_each * 4));
    const AudioBuffer& talk = talks.at(v);
    for (int c = 0; c < clips_each; ++c) {
      AudioBuffer x(1, static_cast<Samples>((clip_s + 0.6) * 48000));
      const auto n = static_cast<size_t>(clip_s * 48000);
      for (size_t i = 0; i < n; ++i)
        x.channel(0)[14400 + i] = talk.channel(0)[static_cast<size_t>(c) * n + i];
      if (snr_db < 90) {
        const double level = test::rms(x.channel(0)) * std::pow(10, -snr_db / 20);
        test::add(x, test::noise(level, clip_s + 0.6, seed + static_cast<unsigned>(v * 50 + c)), 0);
      }
      const auto file = folder / (std::to_string(v) + "-" + std::to_string(c) + ".wav");
      test::write_wav(file, x);
      ClipSound sound;
      sound.file = file;
      sound.rate = voice_print_rate;
      ClipReader reader(sound);
      VoicePrintMeter meter(reader.channels());
      AudioBuffer block(reader.channels(), 4096);
      for (int got = 0; (got = reader.read(block.block())) > 0;) meter.hear(block.block(0, got));
      out.prints.push_back(meter.print());
      out.truth.push_back(v);
    }
  }
  return out;
}

// Clips that are of their cluster's commonest speaker.
std::vector<bool> right_ones(const SpeakerGuess& guess, const std::vector<int>& truth) {
  std::map<int, std::map<int, int>> counts;
  for (size_t i = 0; i < truth.size(); ++i) ++counts[guess.speaker[i]][truth[i]];
  std::vector<bool> out;
  for (size_t i = 0; i < truth.size(); ++i) {
    const auto& of = counts[guess.speaker[i]];
    const auto most = std::ranges::max_element(of, {}, [](const auto& c) { return c.second; });
    out.push_back(guess.speaker[i] >= 0 && most->first == truth[i]);
  }
  return out;
}

double purity(const std::vector<bool>& right) {
  return static_cast<double>(std::ranges::count(right, true)) / static_cast<double>(right.size());
}

// How often a right one has more confidence than a wrong one.
double area_under_curve(const std::vector<std::pair<double, bool>>& judged) {
  double wins = 0, pairs = 0;
  for (const auto& [a, right] : judged)
    for (const auto& [b, other] : judged)
      if (right && !other) {
        wins += a > b ? 1 : a == b ? 0.5 : 0;
        ++pairs;
      }
  return pairs == 0 ? 1 : wins / pairs;
}

TEST(WhoSpeaks, FourVoicesArePartedAndDoubtIsTold) {
  DREVAN_IN_FULL_ONLY("four real voices");
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  std::vector<std::pair<double, bool>> judged;
  for (const auto& [snr, least] : {std::pair{99.0, 0.95}, {20.0, 0.85}}) {
    const Heard h = heard(snr, 400);
    const auto guess = guess_speakers(h.prints);
    const auto right = right_ones(guess, h.truth);
    EXPECT_GE(purity(right), least) << snr << " dB, " << guess.speakers << " speakers";
    EXPECT_EQ(guess.speakers, 4) << snr << " dB";
    for (size_t i = 0; i < right.size(); ++i) judged.emplace_back(guess.confidence[i], right[i]);
  }
  // Where it is too hard some are wrong, and it knows which.
  for (const auto& [snr, clip_s] : {std::pair{99.0, 0.8}, {13.0, 2.0}, {12.0, 4.0}}) {
    const Heard h = heard(snr, 900, clip_s);
    const auto guess = guess_speakers(h.prints, 4);
    const auto right = right_ones(guess, h.truth);
    EXPECT_LT(purity(right), 1) << "too easy to tell doubt by";
    for (size_t i = 0; i < right.size(); ++i) judged.emplace_back(guess.confidence[i], right[i]);
  }
  EXPECT_GE(area_under_curve(judged), 0.8);
}

TEST(WhoSpeaks, OneVoiceIsOneAndSilenceNobody) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const Heard h = heard(99, 1);
  const auto one = guess_speakers(std::span(h.prints).first(clips_each));
  EXPECT_EQ(one.speakers, 1);
  VoicePrintMeter meter(1);
  AudioBuffer nothing = test::silence(3, voice_print_rate);
  meter.hear(nothing.block());
  EXPECT_TRUE(meter.print().values.empty());
  std::vector<VoicePrint> some{meter.print(), h.prints[0]};
  const auto guess = guess_speakers(some);
  EXPECT_EQ(guess.speaker[0], -1);
  EXPECT_EQ(guess.speaker[1], 0);
  EXPECT_EQ(guess_speakers({}).speakers, 0);
}

}  // namespace
}  // namespace drevan
