// SPDX-License-Identifier: GPL-3.0-or-later
// The mix from moment to moment, against libebur128 and against what is rendered.
#include "batch/mix_levels.h"

#include <ebur128.h>
#include <gtest/gtest.h>

#include <memory>

#include "support/extent.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

const CancelToken never;

// EBU Tech 3341's short-term loudness by libebur128, whose 3 s end where it is asked.
TEST(MixLevels, ShortTermLoudnessIsThatOfLibebur128) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const auto voice = test::continuous_speech(test::voices[0], 20);
  SoundCourseMeter meter({48000, 1, 4800});
  const std::unique_ptr<ebur128_state, void (*)(ebur128_state*)> ebur(
      ebur128_init(1, 48000, EBUR128_MODE_S), [](ebur128_state* s) { ebur128_destroy(&s); });
  std::vector<double> wanted;
  for (Samples at = 0; at + 4800 <= voice.frames(); at += 4800) {
    AudioBuffer part(1, 4800);
    std::copy_n(voice.channel(0).begin() + at, 4800, part.channel(0).begin());
    meter.hear(part.block());
    ebur128_add_frames_float(ebur.get(), part.channel(0).data(), 4800);
    double lufs = 0;
    ebur128_loudness_shortterm(ebur.get(), &lufs);
    wanted.push_back(lufs);
  }
  const SoundCourse course = meter.course();
  double worst = 0;
  for (size_t i = 30; i < wanted.size(); ++i)
    worst = std::max(
        worst, std::abs(short_term_at(course, 0.1 * static_cast<double>(i + 1) - 1.5) - wanted[i]));
  // Windows of 0.4 s whose middles lie within 3 s, in place of hard ends.
  EXPECT_LT(worst, 0.8);
  EXPECT_EQ(short_term_at(course, 100), static_cast<double>(SoundCourse::nothing_db));
}

TEST(MixLevels, AreThoseOfTheRenderedMixAndAreKnownByWhatChangesThem) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"a", "One"}, {"b", "Two", 2}}, 2);
  reel.clips[1].place = ReelTime{1.25};
  ChainStep louder = make_step("gain");
  louder.settings.values[0] = 5;
  reel.mix.chain.steps = {louder};
  settle_step_ids(reel);
  FindingStore store;
  const Source sum = render_sum(reel, t / "sum.wav", store, never);
  const WholeLevels whole = measure_mix(reel, sum, store, never);
  BatchOptions options;
  options.folder = t / "out";
  options.samples = SampleType::float32;
  const auto mix = render_mix(reel, options, {}, store, never).files.front();
  ASSERT_TRUE(whole.levels.loudness_lufs && mix.levels.loudness_lufs);
  EXPECT_NEAR(*whole.levels.loudness_lufs, *mix.levels.loudness_lufs, 1e-6);
  EXPECT_NEAR(*whole.levels.true_peak_dbtp, *mix.levels.true_peak_dbtp, 1e-6);
  EXPECT_NEAR(whole.course->seconds(), 3.25, 0.03);
  const WholeLevels file = measure_whole_file(mix.output, 48000, never);
  EXPECT_NEAR(*file.levels.loudness_lufs, *mix.levels.loudness_lufs, 1e-6);
  EXPECT_EQ(file.course->peak_db, whole.course->peak_db);
  // The key.
  EXPECT_EQ(whole.key, mix_key(reel));
  Reel other = reel;
  other.mix.chain.steps[0].settings.values[0] = 4;
  EXPECT_NE(mix_key(other), whole.key);
  other = reel;
  other.clips[0].place = ReelTime{0.5};
  EXPECT_NE(mix_key(other), whole.key);
  other = reel;
  other.clips[0].name = "renamed";
  EXPECT_EQ(mix_key(other), whole.key);
}

}  // namespace
}  // namespace drevan
