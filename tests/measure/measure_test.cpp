#include <gtest/gtest.h>

#include <cmath>

#include "measure/levels.h"
#include "measure/noise_floor.h"
#include "measure/room_tone.h"
#include "measure/spectrum.h"
#include "support/sounds.h"

namespace drevan {
namespace {

std::optional<double> floor_of(AudioBuffer x, FrameRange* where = nullptr) {
  NoiseFloorMeter m({48000, x.channels(), 4096});
  for (Samples at = 0; at < x.frames(); at += 4096) m.hear(x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at))));
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

TEST(NoiseFloor, OfAShortSoundIsItsPower) { EXPECT_NEAR(*floor_of(test::noise(0.01, 0.3, 1)), -40, 0.3); }

TEST(NoiseFloor, CountsAFullScaleSineAsMinusThree) { EXPECT_NEAR(*floor_of(test::sine(997, 1, 2)), -3.01, 0.05); }

TEST(Levels, OfSilenceAreEmpty) {
  LevelMeter m({48000, 1, 48000}, Detail::full);
  AudioBuffer x = test::silence(1);
  m.hear(x.block());
  const Levels l = m.levels();
  EXPECT_FALSE(l.sample_peak_dbfs || l.true_peak_dbtp || l.loudness_lufs || l.noise_floor_dbfs || l.rms_dbfs);
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
  for (Samples at = 0; at < x.frames(); at += 65536) f.hear(x.block(at, static_cast<int>(std::min<Samples>(65536, x.frames() - at))));
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
  const auto part = x.channel(0).subspan(static_cast<size_t>(found->begin), static_cast<size_t>(found->length()));
  EXPECT_NEAR(test::rms_db(part), 20 * std::log10(0.0015), 0.5);
  EXPECT_GE(found->length(), 24000);
}

TEST(RoomToneFinder, RefusesSpeechClicksAndDigitalSilence) {
  EXPECT_FALSE(find(test::words(0.5, 5)));
  EXPECT_FALSE(find(test::silence(3)));
  AudioBuffer clicks = test::noise(0.001, 3, 2);
  for (size_t i = 0; i < clicks.channel(0).size(); i += 12000) clicks.channel(0)[i + 6000] = 0.7F;
  EXPECT_FALSE(find(clicks));
}

}  // namespace
}  // namespace drevan
