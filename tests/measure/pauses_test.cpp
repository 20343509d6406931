// SPDX-License-Identifier: GPL-3.0-or-later
// Where a take is cut: real voices of Debian's speech packages, with pauses and noises of which the
// rules know nothing. What a pause of speech is is common practice, no source.
#include "measure/pauses.h"

#include <gtest/gtest.h>

#include <chrono>
#include <random>

#include "reel/reel.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

struct Take {
  AudioBuffer sound;
  std::vector<ClipRange> words;  // where somebody speaks
};

double level_db(const AudioBuffer& x, ClipRange part) {
  return test::rms_db(x.channel(0).subspan(static_cast<size_t>(part.begin.s * 48000),
                                           static_cast<size_t>(part.length().s * 48000)));
}

// Sentences of 1.5 to 6 s with pauses of 0.8 to 2.5 s, over a steady noise `snr_db` below them.
Take made_take(const char* voice, double seconds, double snr_db, unsigned seed, bool low_noise) {
  const AudioBuffer talk = test::continuous_speech(voice, seconds * 0.6);
  std::mt19937 random(seed);
  std::uniform_real_distribution<> long_s(1.5, 6), pause_s(0.8, 2.5);
  Take take{AudioBuffer(1, static_cast<Samples>(seconds * 48000)), {}};
  double at = pause_s(random);
  size_t from = 0;
  while (true) {
    const double length = long_s(random);
    const auto n = static_cast<size_t>(length * 48000);
    if (at + length > seconds - 1 || from + n > static_cast<size_t>(talk.frames())) break;
    // A sentence begins and ends with sound, not with the quiet or the lips that a cut fell into.
    size_t begin = from, end = from + n;
    constexpr size_t voiced = 1920;  // 40 ms
    const auto loud = [&](size_t i) {
      return test::rms_db(talk.channel(0).subspan(i, voiced)) > -42;
    };
    while (begin + voiced < end && !loud(begin)) begin += 48;
    while (end > begin + 2 * voiced && !loud(end - voiced)) end -= 48;
    for (size_t i = begin; i < end; ++i)
      take.sound.channel(0)[static_cast<size_t>(at * 48000) + i - begin] += talk.channel(0)[i];
    const double spoken = static_cast<double>(end - begin) / 48000;
    take.words.push_back({at, at + spoken});
    at += spoken + pause_s(random);
    from += n;
  }
  AudioBuffer noise = test::noise(1, seconds, seed + 1);
  if (low_noise) {  // as of a road: falls 6 dB an octave
    float y = 0;
    for (float& v : noise.channel(0)) v = y = 0.98F * y + v;
  }
  const double speech_db = level_db(take.sound, take.words.front());
  const double gain = std::pow(10, (speech_db - snr_db - test::rms_db(noise.channel(0))) / 20);
  for (size_t i = 0; i < noise.channel(0).size(); ++i)
    take.sound.channel(0)[i] += static_cast<float>(gain) * noise.channel(0)[i];
  return take;
}

std::vector<FrameRange> pieces_at_pauses(const RoomEar& ear, Samples length,
                                         const PauseRules& rules) {
  return drevan::pieces_at_pauses(out_of_room(ear.frames()), ear.frame_length(), length, rules);
}

RoomEar heard(AudioBuffer& x) {
  RoomEar ear({48000, x.channels(), 4096});
  for (Samples at = 0; at < x.frames(); at += 4096)
    ear.hear(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
  return ear;
}

// Every cut lies in its pause, within 50 ms of its middle; none within words.
void expect_cuts(Take take, const std::string& what) {
  const RoomEar ear = heard(take.sound);
  const auto pieces = pieces_at_pauses(ear, take.sound.frames(), {});
  int right = 0;
  for (size_t i = 0; i + 1 < take.words.size(); ++i) {
    const double middle = (take.words[i].end.s + take.words[i + 1].begin.s) / 2;
    for (size_t k = 0; k + 1 < pieces.size(); ++k) {
      // The pause as it was heard: the air taken off again.
      const double end = static_cast<double>(pieces[k].end) / 48000 - 0.25;
      const double begin = static_cast<double>(pieces[k + 1].begin) / 48000 + 0.15;
      right += std::abs((end + begin) / 2 - middle) < 0.05;
    }
  }
  const auto known = static_cast<int>(take.words.size()) - 1;
  EXPECT_GE(right, std::floor(0.98 * known)) << what << ", of " << known;
  for (const auto& p : pieces)
    for (const Samples edge : {p.begin, p.end})
      for (const auto& w : take.words) {
        const double s = static_cast<double>(edge) / 48000;
        EXPECT_FALSE(s > w.begin.s + 0.02 && s < w.end.s - 0.02)
            << what << ": cut at " << s << " within words from " << w.begin.s << " to " << w.end.s;
      }
}

TEST(Pauses, AreFoundInFourVoicesUnderTwoNoises) {
  DREVAN_IN_FULL_ONLY("four voices under two noises");
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  for (const char* voice : test::voices)
    for (const double snr : {40.0, 15.0})
      for (const bool low : {false, true})
        expect_cuts(made_take(voice, 90, snr, 7, low),
                    std::string(voice) + " at " + std::to_string(snr) + (low ? " low" : " white"));
}

TEST(Pauses, NoiseAloneIsNoSpeechNorAreClicks) {
  AudioBuffer x = test::noise(0.01, 30, 3);
  for (const double s : {4.0, 11.0, 20.5})
    for (size_t i = 0; i < 200; ++i) x.channel(0)[static_cast<size_t>(s * 48000) + i] += 0.5F;
  EXPECT_TRUE(pieces_at_pauses(heard(x), x.frames(), {}).empty());
  AudioBuffer nothing = test::silence(5);
  EXPECT_TRUE(pieces_at_pauses(heard(nothing), nothing.frames(), {}).empty());
  AudioBuffer none(1, 0);
  EXPECT_TRUE(pieces_at_pauses(heard(none), 0, {}).empty());
}

// The room becomes 12 dB louder in the middle, as when a door is opened: no speech because of it,
// but for the moment it happens.
TEST(Pauses, TheRoomIsFollowed) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  Take take = made_take(test::voices[0], 90, 40, 11, false);
  AudioBuffer louder = test::noise(0.004, 45, 12);
  test::add(take.sound, louder, 45);
  const auto pieces = pieces_at_pauses(heard(take.sound), take.sound.frames(), {});
  EXPECT_NEAR(static_cast<double>(pieces.size()), static_cast<double>(take.words.size()), 3);
}

TEST(Pauses, LimitsAreObeyed) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  Take take = made_take(test::voices[1], 60, 40, 13, false);
  const RoomEar ear = heard(take.sound);
  const auto all = pieces_at_pauses(ear, take.sound.frames(), {});
  const auto fewer = pieces_at_pauses(ear, take.sound.frames(), {.least_pause_s = 2.0});
  EXPECT_LT(fewer.size(), all.size());
  for (const auto& p : pieces_at_pauses(ear, take.sound.frames(), {.least_piece_s = 4}))
    EXPECT_GE(p.length(), 4 * 48000);
  const auto bare =
      pieces_at_pauses(ear, take.sound.frames(), {.air_before_s = 0, .air_after_s = 0});
  ASSERT_EQ(bare.size(), all.size());
  for (size_t i = 0; i < all.size(); ++i) {
    EXPECT_LE(all[i].begin, bare[i].begin);
    EXPECT_GE(all[i].end, bare[i].end);
    if (i) EXPECT_GE(all[i].begin, all[i - 1].end);
  }
}

}  // namespace
}  // namespace drevan
