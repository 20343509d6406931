// SPDX-License-Identifier: GPL-3.0-or-later
// The de-esser against truth from outside: the speech synthesiser flite prints the name and end of
// every sound it speaks (flite -psdur). Sentences are ours.
#include <gtest/gtest.h>

#include <charconv>
#include <cmath>
#include <sstream>

#include "dsp/sibilance.h"
#include "media/reader.h"
#include "support/extent.h"
#include "support/steps.h"

namespace drevan {
namespace {

struct Sound {
  std::string name;
  double begin, end;
};

struct Spoken {
  AudioBuffer sound;
  std::vector<Sound> sounds;
};

Spoken speak(const std::string& voice, const std::string& text) {
  const test::TempFolder temp;
  const auto file = temp / "said.wav";
  const auto ran =
      test::run("flite -voice " + voice + " -psdur -t '" + text + "' -o " + file.string());
  Spoken out;
  std::istringstream words(ran.out);
  double begin = 0;
  for (std::string word; words >> word;) {
    const auto colon = word.rfind(':');
    double end = 0;
    if (colon == std::string::npos ||
        std::from_chars(word.data() + colon + 1, word.data() + word.size(), end).ec != std::errc{})
      continue;
    out.sounds.push_back({word.substr(0, colon), begin, end});
    begin = end;
  }
  const auto reader = open_audio(file, 48000);
  out.sound = AudioBuffer(1, reader->info().frames);
  reader->read(out.sound.block());
  return out;
}

const char* const sentences[] = {"The ship sails past seven small islands.",
                                 "She chose a fresh peach and some cheese.",
                                 "His jaws closed on the juicy sausage.",
                                 "Zebras graze in misty fields of grass.",
                                 "Charles judged the passage with such care.",
                                 "We heard the old motor turn over again.",
                                 "Seven sisters sang songs on the station.",
                                 "The vision of the measure was a pleasure.",
                                 "Just a touch of salt is enough for the soup.",
                                 "Good morning, bring the letter to the doctor."};

bool sibilant(const std::string& name) {
  return name == "s" || name == "z" || name == "sh" || name == "zh" || name == "ch" || name == "jh";
}

// Runs of detection, in seconds, the finder's delay taken out.
std::vector<std::pair<double, double>> detected(AudioBuffer& x) {
  const StreamFormat format{48000, 1, static_cast<int>(x.frames())};
  SibilanceEar first(format), second(format);
  VoiceLevel level;
  first.hear(x.block(), [&](int, const SibilanceEar::Tick& t) { level.hear(t.voice_db); });
  SibilanceFinder finder;
  std::vector<std::pair<double, double>> runs;
  bool was = false;
  second.hear(x.block(), [&](int offset, const SibilanceEar::Tick& t) {
    const double at = (offset + 1) / 48000.0 - 0.005 * SibilanceFinder::delay();
    const bool on = finder.hear(t, *level.level_db(), -22);
    if (on && !was) runs.emplace_back(at, at);
    if (on) runs.back().second = at;
    was = on;
  });
  return runs;
}

TEST(DeEssStandard, FindsTheSoundsThatFliteSaysItSpoke) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  int found = 0, missed = 0, wrong = 0;
  for (const char* voice : {"slt", "rms", "awb", "kal16"})
    for (const char* text : sentences) {
      Spoken s = speak(voice, text);
      ASSERT_GT(s.sounds.size(), 10U) << voice;
      std::vector<std::pair<double, double>> truth;
      for (const Sound& p : s.sounds) {
        if (!sibilant(p.name)) continue;
        if (!truth.empty() && truth.back().second == p.begin)
          truth.back().second = p.end;
        else
          truth.emplace_back(p.begin, p.end);
      }
      const auto runs = detected(s.sound);
      const auto meet = [](const auto& a, const auto& b, double grace) {
        return a.first <= b.second + grace && a.second >= b.first - grace;
      };
      for (const auto& t : truth)
        (std::ranges::any_of(runs, [&](const auto& r) { return meet(r, t, 0.01); }) ? found
                                                                                    : missed)++;
      for (const auto& r : runs)
        if (std::ranges::none_of(truth, [&](const auto& t) { return meet(r, t, 0.015); })) ++wrong;
    }
  const double f1 = 2.0 * found / (2.0 * found + wrong + missed);
  std::printf("s-sounds by flite's labels: %d found, %d missed, %d wrong, F1 %.3f\n", found, missed,
              wrong, f1);
  EXPECT_GE(f1, 0.9);
}

TEST(DeEssStandard, VowelsStayAndSibilantsFall) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const auto step = test::with("de-ess", {{"most_db", 8}, {"band_hz", 4000}});
  double vowels_before = 0, vowels_after = 0, s_before = 0, s_after = 0;
  for (const char* voice : {"slt", "rms", "awb", "kal16"})
    for (const char* text : sentences) {
      Spoken s = speak(voice, text);
      AudioBuffer after = s.sound;
      test::run_step(step, after);
      for (const Sound& p : s.sounds) {
        const auto from = static_cast<size_t>((p.begin + 0.01) * 48000),
                   to = static_cast<size_t>((p.end - 0.01) * 48000);
        if (to <= from || to > after.channel(0).size()) continue;
        const auto power = [&](const AudioBuffer& x) {
          double sum = 0;
          for (size_t i = from; i < to; ++i)
            sum += static_cast<double>(x.channel(0)[i]) * static_cast<double>(x.channel(0)[i]);
          return sum;
        };
        const bool vowel = std::string("aeiou").find(p.name[0]) != std::string::npos;
        if (vowel) vowels_before += power(s.sound), vowels_after += power(after);
        if (p.name == "s") s_before += power(s.sound), s_after += power(after);
      }
    }
  EXPECT_NEAR(10 * std::log10(vowels_after / vowels_before), 0, 0.2);
  EXPECT_LT(10 * std::log10(s_after / s_before), -3);
}

TEST(DeEss, NeedsNoOtherSettingWhenTheClipIsLouder) {
  Spoken s = speak("slt", sentences[0]);
  AudioBuffer quiet = s.sound, loud = s.sound;
  for (float& x : quiet.channel(0)) x *= 0.125F;
  const auto step = test::with("de-ess", {});
  test::run_step(step, quiet);
  test::run_step(step, loud);
  for (size_t i = 0; i < loud.channel(0).size(); ++i)
    ASSERT_NEAR(quiet.channel(0)[i] * 8, loud.channel(0)[i], 2e-3);
}

}  // namespace
}  // namespace drevan
