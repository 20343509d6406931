// SPDX-License-Identifier: GPL-3.0-or-later
// The live loudness meter against EBU Tech 3341 (2016) table 1 and Tech 3342 (2016) table 1: signals made
// from their descriptions, levels, lengths and tolerances quoted from memory.
#include <gtest/gtest.h>

#include <cmath>

#include "measure/programme_meter.h"

namespace drevan {
namespace {

struct Tone {
  double dbfs, seconds;
};

// A 1 kHz sine, told in pieces of 10 ms as the screen does; `each` looks ten times a second.
template <class Each>
ProgrammeMeter::Readings play(std::initializer_list<Tone> tones, int rounds, Each&& each,
                              int channels = 2) {
  constexpr double rate = 48000;
  ProgrammeMeter meter(channels, rate);
  std::vector<float> piece(static_cast<size_t>(480 * channels));
  double seconds = 0;
  for (int round = 0; round < rounds; ++round)
    for (const auto& t : tones) {
      // Ten whole periods: every piece is the same.
      for (size_t i = 0; i < piece.size(); ++i)
        piece[i] = static_cast<float>(
            std::pow(10, t.dbfs / 20) *
            std::sin(2 * M_PI * 1000 * static_cast<double>(i / static_cast<size_t>(channels)) /
                     rate));
      for (int n = 0; n < std::lround(t.seconds * 100); ++n) {
        meter.hear(piece);
        seconds += 0.01;
        if (n % 10 == 9) each(seconds, meter.readings());
      }
    }
  return meter.readings();
}
const auto nothing = [](double, const ProgrammeMeter::Readings&) {};

TEST(EbuModeStandard, IntegratedShortTermAndMomentaryOfASteadyTone) {
  for (const double level : {-23.0, -33.0}) {  // cases 1 and 2
    const auto r = play({{level, 20}}, 1, nothing);
    EXPECT_NEAR(*r.integrated_lufs, level, 0.1);
    EXPECT_NEAR(*r.short_term_lufs, level, 0.1);
    EXPECT_NEAR(*r.momentary_lufs, level, 0.1);
  }
}

TEST(EbuModeStandard, IntegratedIsGated) {
  EXPECT_NEAR(*play({{-36, 10}, {-23, 60}, {-36, 10}}, 1, nothing).integrated_lufs, -23,
              0.1);  // case 3
  EXPECT_NEAR(
      *play({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}, 1, nothing).integrated_lufs,
      -23, 0.1);  // case 4
}

TEST(EbuModeStandard, ShortTermStandsStillOnShortTones) {  // case 9
  play({{-20, 1.34}, {-30, 1.66}}, 5, [](double s, const auto& r) {
    if (s > 3.01) EXPECT_NEAR(*r.short_term_lufs, -23, 0.1) << s;
  });
}

TEST(EbuModeStandard, MomentaryStandsStillOnShorterTones) {  // case 12
  play({{-20, 0.18}, {-30, 0.22}}, 25, [](double s, const auto& r) {
    if (s > 1) EXPECT_NEAR(*r.momentary_lufs, -23, 0.1) << s;
  });
}

TEST(EbuModeStandard, LoudnessRange) {
  EXPECT_NEAR(*play({{-20, 20}, {-30, 20}}, 1, nothing).range_lu, 10, 1);  // 3342 case 1
  EXPECT_NEAR(*play({{-20, 20}, {-15, 20}}, 1, nothing).range_lu, 5, 1);   // case 2
  EXPECT_NEAR(*play({{-40, 20}, {-20, 20}}, 1, nothing).range_lu, 20, 1);  // case 3
  EXPECT_NEAR(*play({{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}, 1, nothing).range_lu,
              15, 1);  // case 4
}

TEST(EbuModeStandard, OneChannelIsThreeLuLowerThanTwo) {
  EXPECT_NEAR(*play({{-20, 5}}, 1, nothing, 1).integrated_lufs, -23.01, 0.1);
}

TEST(EbuModeStandard, ReadingsComeWhenTheirTimeIsFull) {
  const auto r = play({{-20, 0.3}}, 1, nothing);
  EXPECT_FALSE(r.momentary_lufs);
  EXPECT_FALSE(r.short_term_lufs);
  EXPECT_NEAR(*r.true_peak_dbtp, -20, 0.3);
}

}  // namespace
}  // namespace drevan
