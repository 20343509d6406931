// SPDX-License-Identifier: GPL-3.0-or-later
// Levels of a selection, and the places that pass full scale.
#include "engine/listening/range_levels.h"

#include <gtest/gtest.h>

#include "audio/decibel.h"
#include "audio/error.h"
#include "support/steps.h"

namespace drevan {
namespace {

class RangeLevelsTest : public testing::Test {
 protected:
  // Five seconds at -20 dB, then five at -40, peak.
  RangeLevelsTest() {
    AudioBuffer x = test::sine(1000, 0.1, 10);
    for (size_t i = 240000; i < 480000; ++i) x.channel(0)[i] *= 0.1F;
    test::write_wav(t / "two.wav", x);
  }
  RangeLevels measure(const Chain& chain, FrameRange range, StageStore* cache = nullptr) {
    LevelPathOptions o;
    o.store = &store;
    o.levels = &levels;
    o.cancel = &never;
    o.cache = cache;
    return measure_range(plan_of({t / "two.wav", 0, -1, 48000, {}}, chain), range, o);
  }
  test::TempFolder t;
  FindingStore store;
  LevelStore levels;
  StageStore kept_stages{size_t{64} << 20};
  const CancelToken never;
};

TEST_F(RangeLevelsTest, EachPartHasItsOwnBeforeAndAfter) {
  Chain chain;
  chain.steps = {test::with("gain", {{"gain_db", 6}})};
  for (StageStore* kept : {static_cast<StageStore*>(nullptr), &kept_stages, &kept_stages}) {
    const auto loud = measure(chain, {48000, 192000}, kept);
    const auto quiet = measure(chain, {264000, 432000}, kept);
    EXPECT_NEAR(*loud.before.sample_peak_dbfs, -20, 0.01);
    EXPECT_NEAR(*loud.after.sample_peak_dbfs, -14, 0.01);
    EXPECT_NEAR(*quiet.before.sample_peak_dbfs, -40, 0.01);
    // ITU-R BS.1770: a 1 kHz sine in one channel reads 3.01 dB below its peak.
    EXPECT_NEAR(*loud.before.loudness_lufs, -23.0, 0.1);
    EXPECT_NEAR(*loud.after.loudness_lufs, -17.0, 0.1);
    EXPECT_NEAR(*quiet.after.loudness_lufs, -37.0, 0.1);
    EXPECT_EQ(loud.before.frames, 144000);
    EXPECT_EQ(loud.after.frames, 144000);
  }
}

TEST_F(RangeLevelsTest, AnotherClockIsToldNotGuessed) {
  Chain chain;
  chain.steps = {make_step("reverse")};
  EXPECT_THROW(measure(chain, {0, 48000}), Error);
}

TEST_F(RangeLevelsTest, AVeryShortPartHasNoLoudness) {
  const auto part = measure({}, {100, 500});
  EXPECT_FALSE(part.before.loudness_lufs.has_value());
  EXPECT_TRUE(part.before.sample_peak_dbfs.has_value());
}

TEST(Overs, EveryPlaceIsFoundOnce) {
  AudioBuffer x = test::sine(200, 0.5, 30);
  // Three places: a lone sample, a stretch, and one at the end.
  x.channel(0)[100000] = 1.2F;
  for (size_t i = 500000; i < 501000; ++i) x.channel(0)[i] = -1.5F;
  x.channel(0).back() = 1.01F;
  PeakPyramid peaks;
  peaks.hear(x.block());
  peaks.finish();
  const auto places = overs_of(peaks, 48000);
  ASSERT_EQ(places.size(), 3U);
  EXPECT_LE(places[0].begin, 100000);
  EXPECT_GT(places[0].end, 100000);
  EXPECT_LE(places[1].begin, 500000);
  EXPECT_GE(places[1].end, 501000);
  EXPECT_LE(places[1].end - places[1].begin, 1000 + 8 * PeakPyramid::cell);
  EXPECT_EQ(places[2].end, x.frames());
}

}  // namespace
}  // namespace drevan
