// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "measure/levels.h"
#include "measure/noise_floor.h"
#include "measure/room_tone.h"
#include "measure/spectrum.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

std::optional<double> floor_of(AudioBuffer x, FrameRange* where = nullptr) {
  NoiseFloorMeter m({48000, x.channels(), 4096});
  for (Samples at = 0; at < x.frames(); at += 4096)
    m.hear(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
  if (where) *where = m.where();
  return m.floor_dbfs();
}

TEST(NoiseFloor, IsTheQuietestHalfSecond) {
  AudioBuffer x = test::noise(0.1, 5, 1);
  for (size_t i = 2 * 48000; i < 3 * 48000; ++i) x.channel(0)[i] *= 0.01F;
  FrameRange where;
  EXPECT_NEAR(*floor_of(x, &where), -60, 0.4);
  EXPECT_GE(where.begin, 2 * 48000);
  EXPECT_LE(where.end, 3 * 48000);
}

TEST(NoiseFloor, LeavesOutDigitalSilence) {
  AudioBuffer x = test::noise(0.001, 3, 1);
  for (size_t i = 48000; i < 2 * 48000; ++i) x.channel(0)[i] = 0;
  EXPECT_NEAR(*floor_of(x), -60, 0.4);
  EXPECT_FALSE(floor_of(test::silence(2)));
}

// Nothing before a digital silence counts with what comes after it: together they are no half second of any room.
TEST(NoiseFloor, DoesNotReachAcrossDigitalSilence) {
  const AudioBuffer parts[] = {test::noise(0.001, 0.45, 1), test::silence(1),
                               test::noise(0.1, 5, 2)};
  EXPECT_NEAR(*floor_of(test::join(parts)), -20, 0.6);
}

TEST(NoiseFloor, OfAShortSoundIsItsPower) {
  EXPECT_NEAR(*floor_of(test::noise(0.01, 0.3, 1)), -40, 0.3);
}

TEST(NoiseFloor, CountsAFullScaleSineAsMinusThree) {
  EXPECT_NEAR(*floor_of(test::sine(997, 1, 2)), -3.01, 0.05);
}

TEST(Levels, OfSilenceAreEmpty) {
  LevelMeter m({48000, 1, 48000}, Detail::full);
  AudioBuffer x = test::silence(1);
  m.hear(x.block());
  const Levels l = m.levels();
  EXPECT_FALSE(l.sample_peak_dbfs || l.true_peak_dbtp || l.loudness_lufs || l.noise_floor_dbfs ||
               l.rms_dbfs);
}

TEST(Levels, CountClippedSamples) {
  LevelMeter m({48000, 2, 48000}, Detail::quick);
  AudioBuffer x = test::sine(100, 0.5, 1, 48000, 2);
  x.channel(0)[5] = 1.0F;
  x.channel(1)[6] = -1.2F;
  m.hear(x.block());
  EXPECT_EQ(m.levels().clipped_samples, 2);
  EXPECT_NEAR(*m.levels().sample_peak_dbfs, 20 * std::log10(1.2), 1e-4);
}

TEST(Spectrum, FullScaleSineReadsZero) {
  SpectrumMeter m({48000, 1, 48000});
  AudioBuffer x = test::sine(48000.0 / SpectrumMeter::size * 100, 1, 1);
  m.hear(x.block());
  EXPECT_NEAR(10 * std::log10(m.power()[100]), 0, 0.01);
}

TEST(RoomTone, ChecksItsLength) {
  EXPECT_EQ(check_room_tone(1, 1.5, 10), RoomToneFlaw::none);
  EXPECT_EQ(check_room_tone(1, 1.4, 10), RoomToneFlaw::too_short);
  EXPECT_EQ(check_room_tone(1, 12, 10), RoomToneFlaw::outside_clip);
  EXPECT_EQ(check_room_tone(-1, 2, 10), RoomToneFlaw::outside_clip);
}

std::optional<FrameRange> find(AudioBuffer x) {
  RoomToneFinder f({48000, x.channels(), 65536});
  for (Samples at = 0; at < x.frames(); at += 65536)
    f.hear(x.block(at, static_cast<int>(std::min<Samples>(65536, x.frames() - at))));
  return f.find();
}

// Real speech with a known pause: room noise everywhere, words from 0 to a and from b on.
TEST(RoomToneFinder, FindsTheKnownPauseBetweenRealWords) {
  const AudioBuffer a = test::speech("demo-congrats"), b = test::speech("demo-instruct");
  const double words_end = std::min(6.0, static_cast<double>(a.frames()) / 48000);
  AudioBuffer first(1, std::llround(words_end * 48000));
  std::copy_n(a.channel(0).begin(), first.frames(), first.channel(0).begin());
  AudioBuffer x = test::noise(0.0015, words_end + 1.2 + 6, 3);
  test::add(x, first, 0);
  test::add(x, b, words_end + 1.2);
  const auto found = find(x);
  ASSERT_TRUE(found);
  // The prompts hold pauses of their own; whatever is taken must be noise alone.
  const auto part =
      x.channel(0).subspan(static_cast<size_t>(found->begin), static_cast<size_t>(found->length()));
  EXPECT_NEAR(test::rms_db(part), 20 * std::log10(0.0015), 0.5);
  EXPECT_GE(found->length(), 24000);
}

// The quietest half second may stand anywhere in the pause: all of the pause is taken, before it and behind it.
TEST(RoomToneFinder, TakesTheWholePauseWhereverItIsQuietest) {
  for (const bool quiet_end : {false, true}) {
    AudioBuffer room = test::noise(0.002, 2.5, 4);
    for (size_t i = 0; i < room.channel(0).size(); ++i) {
      const double share = static_cast<double>(i) / static_cast<double>(room.channel(0).size());
      room.channel(0)[i] *= static_cast<float>(1 - 0.15 * (quiet_end ? share : 1 - share));
    }
    const AudioBuffer parts[] = {test::words(0.3, 3), room, test::words(0.3, 3)};
    const auto found = find(test::join(parts));
    ASSERT_TRUE(found);
    EXPECT_GT(found->length(), static_cast<Samples>(1.9 * 48000)) << quiet_end;
  }
}

TEST(RoomToneFinder, RefusesSpeechClicksAndDigitalSilence) {
  EXPECT_FALSE(find(test::words(0.5, 5)));
  EXPECT_FALSE(find(test::silence(3)));
  AudioBuffer clicks = test::noise(0.001, 3, 2);
  for (size_t i = 0; i < clicks.channel(0).size(); i += 12000) clicks.channel(0)[i + 6000] = 0.7F;
  EXPECT_FALSE(find(clicks));
}

// A breath: noise between 300 Hz and 5 kHz that swells and goes within half a second.
AudioBuffer breath(double level) {
  AudioBuffer x = test::noise(level, 0.5, 77);
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    x.channel(0)[i] *= static_cast<float>(
        std::pow(std::sin(std::numbers::pi * static_cast<double>(i) / 24000), 2));
  return x;
}

RoomToneFinder listened(AudioBuffer& x) {
  RoomToneFinder f({48000, x.channels(), 65536});
  for (Samples at = 0; at < x.frames(); at += 65536)
    f.hear(x.block(at, static_cast<int>(std::min<Samples>(65536, x.frames() - at))));
  return f;
}
FrameRange seconds(double begin, double end) {
  return {std::llround(begin * 48000), std::llround(end * 48000)};
}

// Prompts with a pause of 1.4 s between them in which, after 0.3 s, somebody breathes: what is taken lies
// in the pauses that are known, and clear of the breath.
TEST(RoomToneFinder, KeepsClearOfBreathsInKnownPauses) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const char* prompts[] = {"demo-congrats",   "demo-instruct", "vm-instructions",
                           "demo-abouttotry", "demo-echotest", "conf-adminmenu"};
  for (const double room : {0.0005, 0.003})
    for (size_t k = 0; k + 1 < std::size(prompts); ++k) {
      // The prompts' own pauses are filled with sound, so that only the known one is left.
      AudioBuffer a = test::speech(prompts[k]), b = test::speech(prompts[k + 1]);
      const double end = std::min(4.0, static_cast<double>(a.frames()) / 48000);
      AudioBuffer x = test::noise(room, end + 1.4 + 4, static_cast<unsigned>(k));
      AudioBuffer first(1, std::llround(end * 48000));
      std::copy_n(a.channel(0).begin(), first.frames(), first.channel(0).begin());
      test::add(x, first, 0);
      test::add(x, test::words(0.02, end), 0);
      test::add(x, breath(0.02), end + 0.25);
      test::add(x, b, end + 1.4);
      test::add(x, test::words(0.02, 4), end + 1.4);
      const auto found = find(x);
      ASSERT_TRUE(found) << prompts[k];
      EXPECT_GE(found->begin, std::llround((end + 0.7) * 48000)) << prompts[k] << " " << room;
      EXPECT_LE(found->end, std::llround((end + 1.45) * 48000)) << prompts[k] << " " << room;
    }
}

TEST(RoomToneJudge, HearsSpeechAnywhereInRealPrompts) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  int wrong = 0, all = 0;
  for (const char* prompt :
       {"demo-congrats", "demo-instruct", "vm-instructions", "demo-abouttotry"}) {
    AudioBuffer x = test::noise(0.001, 1, 4);
    AudioBuffer said = test::speech(prompt);
    const AudioBuffer parts[] = {x, said};
    AudioBuffer whole = test::join(parts);
    AudioBuffer room = test::noise(0.001, static_cast<double>(whole.frames()) / 48000, 5);
    test::add(whole, room, 0);
    const auto f = listened(whole);
    EXPECT_EQ(f.judge(seconds(0.1, 0.9)), RoomToneFlaw::none) << prompt;
    const double length = static_cast<double>(whole.frames()) / 48000;
    for (double at = 1.2; at + 0.7 < length; at += 0.35) {
      // Stretches with speech in them, by level: the room lies at -60.
      if (test::rms_db(whole.channel(0).subspan(static_cast<size_t>(at * 48000), 33600)) < -48)
        continue;
      ++all;
      if (f.judge(seconds(at, at + 0.7)) == RoomToneFlaw::none) ++wrong;
    }
  }
  EXPECT_GT(all, 60);
  EXPECT_LE(wrong, all / 50);
}

TEST(RoomToneJudge, PassesRoomsOfManyKinds) {
  // Hiss, a fan's hum with blades, rumble with a wandering level of 2 dB.
  AudioBuffer hiss = test::noise(0.002, 3, 1);
  AudioBuffer fan = test::noise(0.0015, 3, 2);
  test::add(fan, test::sine(118, 0.01, 3), 0);
  test::add(fan, test::sine(354, 0.003, 3), 0);
  AudioBuffer rumble = test::noise(0.004, 3, 3);
  float low = 0;
  for (size_t i = 0; i < rumble.channel(0).size(); ++i) {
    low += 0.01F * (rumble.channel(0)[i] - low);
    rumble.channel(0)[i] = (8 * low + 0.05F * rumble.channel(0)[i]) *
                           static_cast<float>(1 + 0.12 * std::sin(static_cast<double>(i) / 20000));
  }
  for (AudioBuffer* x : {&hiss, &fan, &rumble})
    for (double at = 0; at < 2.2; at += 0.3)
      EXPECT_EQ(listened(*x).judge(seconds(at, at + 0.7)), RoomToneFlaw::none) << at;
}

TEST(RoomToneJudge, NamesClicksSilenceAndBreaths) {
  AudioBuffer x = test::noise(0.001, 6, 6);
  x.channel(0)[48000] = 0.4F;
  for (size_t i = 96000; i < 100000; ++i) x.channel(0)[i] = 0;
  test::add(x, breath(0.008), 3.5);
  const auto f = listened(x);
  EXPECT_EQ(f.judge(seconds(0.7, 1.4)), RoomToneFlaw::click);
  EXPECT_EQ(f.judge(seconds(1.6, 2.4)), RoomToneFlaw::digital_silence);
  EXPECT_EQ(f.judge(seconds(3.3, 4.2)), RoomToneFlaw::speech);
  EXPECT_EQ(f.judge(seconds(4.3, 5.2)), RoomToneFlaw::none);
}

TEST(Levels, QuietAndLoudWordsAreToldApart) {
  AudioBuffer x = test::noise(0.0005, 20, 3);
  for (int i = 0; i < 10; ++i) test::add(x, test::sine(300, i % 2 == 0 ? 0.5 : 0.1, 0.8), 2.0 * i);
  x.channel(0)[static_cast<size_t>(9.5 * 48000)] = 0.99F;
  LevelMeter m({48000, 1, 4800}, Detail::quick);
  for (Samples at = 0; at < x.frames(); at += 4800) m.hear(x.block(at, 4800));
  const Levels l = m.levels();
  EXPECT_NEAR(*l.quiet_words_dbfs, -20, 1.5);
  EXPECT_NEAR(*l.loud_words_dbfs, -6, 1.5);
  EXPECT_EQ(l.peak_at, static_cast<Samples>(9.5 * 48000));
}

}  // namespace
}  // namespace drevan
