// SPDX-License-Identifier: GPL-3.0-or-later
// Where a recording may be cut: at zero crossings, and at the marks that its file carries.
#include "engine/recording/take.h"

#include <gtest/gtest.h>
#include <sndfile.h>

#include <cmath>
#include <numbers>

#include "support/sounds.h"

namespace drevan {
namespace {

// Of two channels that cross zero elsewhere their sum is looked at.
TEST(ZeroCrossings, AreThoseOfTheSumOfAllChannels) {
  const test::TempFolder t;
  AudioBuffer x(2, 48000);
  for (size_t i = 0; i < 48000; ++i) {
    const double turn = 2 * std::numbers::pi * 200 * static_cast<double>(i) / 48000;
    x.channel(0)[i] = static_cast<float>(0.1 * std::sin(turn));
    x.channel(1)[i] = static_cast<float>(0.3 * std::sin(turn + 1.1));
  }
  test::write_wav(t / "x.wav", x);
  const double wanted[] = {0.2011, 0.5, 0.7333};
  const auto found = at_zero_crossings({t / "x.wav", 0, -1, 48000, {}}, wanted);
  ASSERT_EQ(found.size(), 3U);
  for (size_t k = 0; k < found.size(); ++k) {
    EXPECT_NEAR(found[k], wanted[k], 0.0026) << "the nearest of 400 a second";
    const auto i = static_cast<size_t>(std::llround(found[k] * 48000));
    const auto sum = [&](size_t at) { return x.channel(0)[at] + x.channel(1)[at]; };
    EXPECT_LE(sum(i - 1) * sum(i), 0) << found[k];
  }
}

// Marks count the file's frames; a clip that is a part of it has those within it.
TEST(CuePoints, CountTheClipsTime) {
  const test::TempFolder t;
  SF_INFO info{};
  info.samplerate = 48000;
  info.channels = 1;
  info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_16;
  SNDFILE* file = sf_open((t / "x.wav").c_str(), SFM_WRITE, &info);
  ASSERT_NE(file, nullptr);
  SF_CUES cues{};
  cues.cue_count = 3;
  for (std::uint32_t i = 0; i < 3; ++i) {
    cues.cue_points[i].indx = static_cast<std::int32_t>(i + 1);
    cues.cue_points[i].position = cues.cue_points[i].sample_offset = 48000 * (i + 1);
    cues.cue_points[i].fcc_chunk = 0x61746164;  // "data"
  }
  ASSERT_EQ(sf_command(file, SFC_SET_CUE, &cues, sizeof cues), SF_TRUE);
  const std::vector<short> sound(4 * 48000, 100);
  sf_write_short(file, sound.data(), static_cast<sf_count_t>(sound.size()));
  sf_close(file);
  const auto found = cue_points({t / "x.wav", 72000, 96000, 48000, {}});
  ASSERT_EQ(found.size(), 2U);
  EXPECT_NEAR(found[0].range.begin.s, 0.5, 1e-9);
  EXPECT_NEAR(found[1].range.begin.s, 1.5, 1e-9);
}

}  // namespace
}  // namespace drevan
