// SPDX-License-Identifier: GPL-3.0-or-later
// How loud a sound is from moment to moment.
#include "measure/sound_course.h"

#include <ebur128.h>
#include <gtest/gtest.h>

#include <cmath>

#include "support/sounds.h"

namespace drevan {
namespace {

SoundCourse course_of(AudioBuffer x, double rate, int step) {
  SoundCourseMeter meter({rate, x.channels(), 4096});
  for (Samples at = 0; at < x.frames(); at += step)
    meter.hear(x.block(at, static_cast<int>(std::min<Samples>(step, x.frames() - at))));
  return meter.course();
}

// Against libebur128's momentary loudness, whose 400 ms end where it is asked.
TEST(SoundCourse, LoudnessIsWhatALibraryMeasures) {
  for (const double rate : {48000.0, 44100.0}) {
    AudioBuffer x = test::words(0.3, 4, rate);
    const SoundCourse course = course_of(x, rate, 1000);
    ebur128_state* ebur = ebur128_init(1, static_cast<unsigned long>(rate), EBUR128_MODE_M);
    const auto hop = static_cast<size_t>(rate / 10);
    int compared = 0;
    for (size_t at = 0; at + hop <= x.channel(0).size(); at += hop) {
      ebur128_add_frames_float(ebur, x.channel(0).data() + at, hop);
      double lufs = 0;
      ebur128_loudness_momentary(ebur, &lufs);
      const double centre_s = static_cast<double>(at + hop) / rate - 0.2;
      const auto cell = static_cast<size_t>(std::lround(centre_s / SoundCourse::cell_s));
      if (at < 4 * hop || lufs < -70 || cell >= course.loudness_lufs.size()) continue;
      EXPECT_NEAR(course.loudness_lufs[cell], lufs, 0.15) << at;
      ++compared;
    }
    EXPECT_GT(compared, 20);
    ebur128_destroy(&ebur);
  }
}

TEST(SoundCourse, PeaksAreThoseOfTheSamplesAndBlocksDoNotMatter) {
  AudioBuffer x = test::noise(0.1, 1.013, 4, 48000, 2);
  x.channel(1)[24001] = -0.9F;
  const SoundCourse course = course_of(x, 48000, 4096);
  EXPECT_EQ(course, course_of(x, 48000, 77));
  EXPECT_EQ(course.peak_db.size(), 51U);
  EXPECT_NEAR(course.peak_db[25], 20 * std::log10(0.9), 1e-4);
  EXPECT_NEAR(course.over(0, 9).peak_db, 20 * std::log10(0.9), 1e-4);
  EXPECT_LT(course.over(0, 0.4).peak_db, -3);
  EXPECT_EQ(course.over(5, 6).peak_db, SoundCourse::nothing_db);
  // Summed up or not, it is the same.
  const SoundCourse words = course_of(test::words(0.3, 7), 48000, 480);
  SoundCourse slow = words;
  slow.coarse.clear();
  for (double begin = 0; begin < 7; begin += 0.37)
    for (const double length : {0.01, 0.3, 0.65, 3.0, 9.0})
      EXPECT_EQ(words.over(begin, begin + length), slow.over(begin, begin + length))
          << begin << " " << length;
  EXPECT_EQ(course_of(AudioBuffer(1, 48000), 48000, 480).over(0, 1).loudness_lufs,
            SoundCourse::nothing_db);
}

TEST(SoundCourse, BytesComeBackAndForeignOnesDoNot) {
  const SoundCourse course = course_of(test::words(0.3, 1), 48000, 480);
  const std::string bytes = to_bytes(course);
  const auto again = course_from_bytes(bytes);
  ASSERT_TRUE(again);
  ASSERT_EQ(again->peak_db.size(), course.peak_db.size());
  for (size_t i = 0; i < course.peak_db.size(); ++i)
    EXPECT_NEAR(again->loudness_lufs[i], course.loudness_lufs[i], 0.006);
  EXPECT_FALSE(course_from_bytes(""));
  EXPECT_FALSE(course_from_bytes("drevan"));
  EXPECT_FALSE(course_from_bytes(bytes.substr(0, bytes.size() - 1)));
}

}  // namespace
}  // namespace drevan
