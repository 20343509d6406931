// SPDX-License-Identifier: GPL-3.0-or-later
// Spectrograms and courses of known sounds.
#include "engine/listening/spectrogram.h"

#include <gtest/gtest.h>

#include <chrono>

#include "audio/decibel.h"

#include "engine/listening/step_course.h"
#include "support/extent.h"
#include "support/steps.h"

namespace drevan {
namespace {

std::shared_ptr<PlayPlan> playing(const std::filesystem::path& file,
                                  std::vector<ChainStep> steps = {}) {
  auto plan = std::make_shared<PlayPlan>();
  plan->clip = plan_of({file, 0, -1, 48000, {}}, {std::move(steps)});
  plan->findings.resize(plan->clip.steps.size());
  return plan;
}

Spectrogram last_of(const std::shared_ptr<const PlayPlan>& plan, const SpectrogramView& view,
                    int* count = nullptr) {
  Spectrogram last;
  const CancelToken cancel;
  draw_spectrogram(plan, view, cancel, [&](const Spectrogram& s) {
    last = s;
    if (count) ++*count;
  });
  return last;
}

double level_at(const Spectrogram& s, const std::vector<std::uint8_t>& cells, double hz,
                double seconds) {
  int best = 0;
  for (int r = 0; r < s.rows; ++r)
    if (s.hz_of_row(r) >= hz && s.hz_of_row(r + 1) < hz) best = r;
  const int column = static_cast<int>((seconds - s.begin_s) / s.length_s * s.columns);
  return Spectrogram::level_db(cells[static_cast<size_t>(best * s.columns + column)]);
}

class SpectrogramTest : public testing::Test {
 protected:
  // Two seconds of 300 Hz at -20 dBFS peak, then two of 5 kHz at -40.
  void SetUp() override {
    AudioBuffer x(1, 4 * 48000);
    const AudioBuffer low = test::sine(300, 0.1, 2), high = test::sine(5000, 0.01, 2);
    test::add(x, low, 0);
    test::add(x, high, 2);
    test::write_wav(folder / "tones.wav", x);
  }
  test::TempFolder folder;
};

TEST_F(SpectrogramTest, TonesStandWhereTheyAreAndAsLoudAsTheyAre) {
  const auto s = last_of(playing(folder / "tones.wav"), {0, 4, 200, 120});
  EXPECT_NEAR(level_at(s, s.after, 300, 1), -20, 2);
  EXPECT_NEAR(level_at(s, s.after, 5000, 3), -40, 2);
  EXPECT_LT(level_at(s, s.after, 5000, 1), -90);
  EXPECT_LT(level_at(s, s.after, 300, 3.5), -90);
  EXPECT_EQ(s.before, s.after);
}

TEST_F(SpectrogramTest, PlainGainIsNotRemovedButAFiltersPartIs) {
  auto gain = playing(folder / "tones.wav", {test::with("gain", {{"gain_db", -6}})});
  gain->fitted_gain = from_db(-6);
  const auto g = last_of(gain, {0, 4, 100, 80});
  EXPECT_NEAR(level_at(g, g.after, 300, 1), -26, 2);
  EXPECT_LT(level_at(g, g.removed, 300, 1), -110);
  const auto whole = last_of(gain, {0, 4, 100, 80, false});
  EXPECT_NEAR(level_at(whole, whole.removed, 300, 1), -26, 2);  // half of it is gone
  const auto cut = last_of(
      playing(folder / "tones.wav", {test::with("cut", {{"low_hz", 1000}, {"low_slope_db", 1}})}),
      {0, 4, 100, 80});
  EXPECT_NEAR(level_at(cut, cut.removed, 300, 1), -20, 2);
  EXPECT_LT(level_at(cut, cut.after, 300, 1), -55);
}

// Around one step, before is what enters it, to the sample.
TEST_F(SpectrogramTest, AroundAStepOnlyThatStepCounts) {
  auto plan = playing(folder / "tones.wav",
                      {test::with("gain", {{"gain_db", -12}}), test::with("limiter", {}),
                       test::with("gain", {{"gain_db", 20}})});
  plan->solo_step = 1;
  const auto s = last_of(plan, {0, 4, 100, 80, false});
  EXPECT_NEAR(level_at(s, s.before, 300, 1), -32, 2);
  EXPECT_NEAR(level_at(s, s.after, 300, 1), -32, 2);
  EXPECT_LT(level_at(s, s.removed, 300, 1), -120);  // the limiter does nothing here, and is in step
}

TEST_F(SpectrogramTest, ALongClipIsThereAtOnceAndSharpens) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  AudioBuffer x(1, 600 * 48000);
  const AudioBuffer tone = test::sine(1000, 0.1, 600);
  test::add(x, tone, 0);
  test::write_wav(folder / "long.wav", x, 48000, SampleType::int16);
  using Clock = std::chrono::steady_clock;
  const auto begin = Clock::now();
  double first = 0;
  int count = 0;
  const CancelToken cancel;
  const auto plan = playing(folder / "long.wav", {test::with("compressor", {}),
                                                  test::with("equaliser", {{"band3_gain_db", 3}})});
  draw_spectrogram(plan, {0, 600, 400, 80}, cancel, [&](const Spectrogram& s) {
    if (count++ > 0) return;
    first = std::chrono::duration<double>(Clock::now() - begin).count();
    EXPECT_NEAR(level_at(s, s.before, 1000, 500), -20, 3);  // coarse, but all of it
  });
  const double all = std::chrono::duration<double>(Clock::now() - begin).count();
  EXPECT_GE(count, 3);
  EXPECT_LT(first, all / 4);
}

TEST_F(SpectrogramTest, ItCanBeCancelled) {
  CancelToken cancel;
  cancel.cancel();
  EXPECT_THROW(
      draw_spectrogram(playing(folder / "tones.wav"), {}, cancel, [](const Spectrogram&) {}),
      Cancelled);
}

TEST_F(SpectrogramTest, ACourseTellsWhatACompressorTakesAndWhen) {
  auto plan =
      playing(folder / "tones.wav",
              {test::with("compressor", {{"threshold_db", -30}, {"ratio", 2}, {"knee_db", 0}})});
  plan->solo_step = 0;
  const CancelToken cancel;
  const StepCourse c = measure_step_course(plan, cancel);
  const auto at = [&](double s) {
    return static_cast<double>(c.reduction_db.at(static_cast<size_t>(s * 48000 / PlayRun::block)));
  };
  EXPECT_NEAR(at(1), 5, 0.7);  // 10 dB over, 2 : 1; the peak detector's dips count
  EXPECT_NEAR(at(3.5), 0, 0.1);
  EXPECT_LT(c.fitted_gain, 0.75);
  plan->clip = plan_of(plan->clip.sound, {{test::with("gain", {{"gain_db", 6}})}});
  const StepCourse plain = measure_step_course(plan, cancel);
  EXPECT_NEAR(plain.fitted_gain, from_db(6), 0.01);
  EXPECT_TRUE(plain.reduction_db.empty());
}

}  // namespace
}  // namespace drevan
