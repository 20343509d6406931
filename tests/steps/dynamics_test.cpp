// SPDX-License-Identifier: GPL-3.0-or-later
// What dynamics do to channels of different level, to single samples, and by their formulas.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "measure/levels.h"
#include "measure/noise_floor.h"
#include "dsp/true_peak.h"
#include "engine/rendering/chain_run.h"
#include "support/steps.h"

namespace drevan {
namespace {

using test::with;

// A stereo image must not wander: all channels are turned alike, by the loudest of them, whichever it is.
TEST(Linked, AllChannelsAreTurnedByTheLoudest) {
  for (const auto& step :
       {with("gate", {{"threshold_db", -30}, {"range_db", 40}, {"ratio", 10}, {"hold_ms", 0}}),
        with("compressor", {{"threshold_db", -40}, {"ratio", 4}}),
        with("limiter", {{"ceiling_db", -20}}),
        with("limiter", {{"measure", 0}, {"ceiling_db", -20}})})
    for (const int loud : {0, 1}) {
      AudioBuffer x(2, 96000);
      // The loud one speaks in bursts; the quiet one goes on below every threshold.
      for (size_t i = 0; i < 96000; ++i) {
        const double tone = std::sin(2 * std::numbers::pi * 700 * static_cast<double>(i) / 48000);
        x.channel(loud)[i] = static_cast<float>((i / 12000) % 2 == 0 ? 0.5 * tone : 0.001 * tone);
        x.channel(1 - loud)[i] = static_cast<float>(0.0005 * tone);
      }
      AudioBuffer alone(1, 96000);
      std::ranges::copy(x.channel(loud), alone.channel(0).begin());
      const AudioBuffer in = x, in_alone = alone;
      test::run_step(step, x);
      test::run_step(step, alone);
      for (size_t i = 24000; i < 96000; i += 7) {
        if (std::abs(in.channel(1 - loud)[i]) < 1e-4F) continue;
        const float by = alone.channel(0)[i] / in_alone.channel(0)[i];
        ASSERT_NEAR(x.channel(1 - loud)[i] / in.channel(1 - loud)[i], by, 0.02F * by + 1e-4F)
            << step.type->id << ", loud " << loud << ", " << i;
      }
    }
}

// Giannoulis, Massberg and Reiss 2012, eq. 4: within the knee the curve bends by (x - T + W / 2)^2 / (2 W).
TEST(Multiband, KneeByItsFormula) {
  constexpr double threshold = -30, ratio = 4, knee = 6;
  for (const double in : {-34.0, -32.0, -30.5, -30.0, -29.0, -27.5, -26.0}) {
    AudioBuffer x = test::sine(700, std::pow(10, in / 20) * std::sqrt(2.0), 2);
    test::run_step(with("multiband-compressor", {{"band2_threshold_db", threshold},
                                                 {"band2_ratio", ratio},
                                                 {"band1_ratio", 1},
                                                 {"band3_ratio", 1}}),
                   x);
    const double over = in - threshold;
    const double down = over < -knee / 2 ? 0
                        : over > knee / 2
                            ? (1 - 1 / ratio) * over
                            : (1 - 1 / ratio) * std::pow(over + knee / 2, 2) / (2 * knee);
    EXPECT_NEAR(test::rms_db(x.channel(0).subspan(48000, 24000)), in - down, 0.12) << in;
  }
}

// A single loud sample in a quiet tone: the gain starts down exactly its look-ahead before, and what makes a true
// peak around it.
TEST(Limiter, TheFirstChangedFrame) {
  for (const double look_ahead : {1.0, 4.0, 10.0})
    for (const int kind : {0, 1}) {
      AudioBuffer x = test::sine(300, 0.01, 1);
      x.channel(0)[30000] = 0.9F;
      const AudioBuffer in = x;
      test::run_step(with("limiter", {{"measure", static_cast<double>(kind)},
                                      {"ceiling_db", -6},
                                      {"look_ahead_ms", look_ahead}}),
                     x);
      size_t first = 0;
      while (first < 48000 && x.channel(0)[first] == in.channel(0)[first]) ++first;
      const auto glide = std::lround(look_ahead * 48);
      // A sample's own peak, or (true peak) the one just before it, where the interpolation passes the ceiling.
      EXPECT_NEAR(static_cast<double>(first),
                  30000.0 - static_cast<double>(glide) - TruePeakDetector::delay() + 1,
                  kind == 0 ? 0 : 1)
          << look_ahead << " " << kind;
      EXPECT_LE(std::abs(x.channel(0)[30000]), 0.5012F);
    }
}

// A room that wavers (rain, leaves): bursts of 3 ms that are no louder than it is at times open nothing.
AudioBuffer wavering_room(double seconds, unsigned seed) {
  AudioBuffer x = test::noise(0.01, seconds, seed);
  const AudioBuffer wander = test::noise(1, seconds, seed + 100);
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    x.channel(0)[i] *= static_cast<float>(std::pow(
        10, std::clamp(static_cast<double>(wander.channel(0)[i / 144 * 144]) * 5, -9.0, 9.0) / 20));
  return x;
}

TEST(NoiseReduction, StaysShutForABurstNoLouderThanItsRoomWavers) {
  const ChainStep step = with("noise-reduction", {{"depth_db", 20}});
  AudioBuffer tone = wavering_room(2, 6), room = wavering_room(6, 7);
  const Findings found = test::learn_step(step, tone);
  const AudioBuffer in = room;
  test::run_step(step, room, 48000, &found);
  EXPECT_NEAR(test::rms_db(room.channel(0).subspan(48000, 192000)) -
                  test::rms_db(in.channel(0).subspan(48000, 192000)),
              -20, 0.3);
  // Every moment of it: nothing opens for one burst.
  for (size_t at = 48000; at < 240000; at += 2400)
    EXPECT_LT(test::rms_db(room.channel(0).subspan(at, 2400)) -
                  test::rms_db(in.channel(0).subspan(at, 2400)),
              -18.5)
        << at;
}

// Two meters in one: what lies between the last sample of one block and the first of the next counts, too.
TEST(TruePeak, BetweenBlocks) {
  for (const int block : {64, 100, 4800}) {
    AudioBuffer x = test::sine(100, 0.3, 0.5);
    AudioBuffer tone(1, 24000);
    for (size_t i = 0; i < 24000; ++i) {
      const double fade =
          std::min({1.0, static_cast<double>(i) / 4800, static_cast<double>(24000 - i) / 4800});
      tone.channel(0)[i] = static_cast<float>(
          0.5 * fade *
          std::sin(std::numbers::pi / 2 * static_cast<double>(i) + std::numbers::pi / 4));
    }
    const AudioBuffer parts[] = {x, tone};
    AudioBuffer all = test::join(parts);
    LevelMeter meter({48000, 1, 4800}, Detail::peaks);
    for (Samples at = 0; at < all.frames(); at += block)
      meter.hear(all.block(at, static_cast<int>(std::min<Samples>(block, all.frames() - at))));
    EXPECT_NEAR(*meter.levels().true_peak_dbtp, 20 * std::log10(0.5), 0.1) << block;
  }
}

// Steady tones below 0.45 of the rate, at any phase, at every rate: the peak is their amplitude.
TEST(TruePeak, OfSteadyTonesAtEveryRate) {
  double worst = 0;
  for (const double r : {44100.0, 48000.0, 88200.0, 96000.0, 176400.0, 192000.0, 384000.0})
    for (const double part : {0.01, 0.1, 0.2, 0.25, 1.0 / 3, 0.4, 0.43, 0.449})
      for (int phase = 0; phase < 8; ++phase) {
        LevelMeter meter({r, 1, 8192}, Detail::peaks);
        AudioBuffer x(1, 8192);
        for (size_t i = 0; i < 8192; ++i) {
          const double fade =
              std::min({1.0, static_cast<double>(i) / 2000, static_cast<double>(8192 - i) / 2000});
          x.channel(0)[i] =
              static_cast<float>(0.5 * fade *
                                 std::sin(2 * std::numbers::pi * part * static_cast<double>(i) +
                                          phase * std::numbers::pi / 8));
        }
        meter.hear(x.block());
        const double off = *meter.levels().true_peak_dbtp - 20 * std::log10(0.5);
        if (std::abs(off) > std::abs(worst)) worst = off;
        EXPECT_NEAR(off, 0, 0.1) << r << " " << part << " " << phase;
      }
  std::printf(
      "  true peak of steady tones to 0.449 of the rate, 44.1 to 384 kHz: worst %.3f dB off\n",
      worst);
}

// A 26 kHz sine at 96 kHz above the ceiling is held.
TEST(TruePeak, TheLimiterHearsAt96kHz) {
  for (const double hz : {1000.0, 26000.0, 40000.0}) {
    AudioBuffer x = test::sine(hz, 1.5, 1, 96000);
    for (size_t i = 0; i < 9600; ++i) x.channel(0)[i] *= static_cast<float>(i) / 9600;
    test::run_step(with("limiter", {{"ceiling_db", -3}}), x, 96000);
    LevelMeter meter({96000, 1, 4096}, Detail::peaks);
    AudioBuffer middle(1, 48000);
    std::copy_n(x.channel(0).begin() + 24000, 48000, middle.channel(0).begin());
    for (size_t i = 0; i < 2000; ++i)
      middle.channel(0)[i] *= static_cast<float>(i) / 2000,
          middle.channel(0)[47999 - i] *= static_cast<float>(i) / 2000;
    for (Samples at = 0; at < 48000; at += 4096)
      meter.hear(middle.block(at, static_cast<int>(std::min<Samples>(4096, 48000 - at))));
    EXPECT_NEAR(*meter.levels().true_peak_dbtp, -3, 0.15) << hz;
  }
}

TEST(NoiseFloor, OfNoiseThatIsLouderFourTenthsOfTheTimeIsItsMeanPower) {
  AudioBuffer x = test::noise(0.01, 10, 4);
  // Four blocks of 50 ms of every ten, evenly: every half second holds as many.
  for (size_t i = 0; i < x.channel(0).size(); ++i)
    if ((i / 2400) % 5 < 2) x.channel(0)[i] *= 10;
  NoiseFloorMeter meter({48000, 1, 4800});
  for (Samples at = 0; at < x.frames(); at += 4800) meter.hear(x.block(at, 4800));
  EXPECT_NEAR(*meter.floor_dbfs(), -40 + 10 * std::log10(0.6 + 0.4 * 100), 0.3);
}

TEST(Levels, AFullScaleSampleOf16BitsCountsAsClipped) {
  AudioBuffer x = test::sine(100, 0.5, 0.2);
  x.channel(0)[100] = 32767.0F / 32768;
  x.channel(0)[200] = -1;
  x.channel(0)[300] = 32766.0F / 32768;
  LevelMeter meter({48000, 1, 9600}, Detail::quick);
  meter.hear(x.block());
  EXPECT_EQ(meter.levels().clipped_samples, 2);
}

// Each rings on into the next: their tails add.
TEST(ChainRun, TwoRingingStepsRingForTheSumOfTheirTails) {
  const auto steps = planned({{with("cut", {{"low_hz", 20}, {"low_slope_db", 3}}),
                               with("cut", {{"low_hz", 20}, {"low_slope_db", 3}})}},
                             48000);
  const std::vector<Findings> none(2);
  const StreamFormat format{48000, 1, 4096};
  ChainRun one(std::span<const PlannedStep>(steps).first(1), std::span(none).first(1), format),
      both(steps, none, format);
  ASSERT_GT(one.tail(), 0);
  EXPECT_EQ(both.tail(), 2 * one.tail());
  Samples heard = 0;
  bool given = false;
  stream(
      [&](const AudioBlock& b) {
        if (std::exchange(given, true)) return 0;
        b.clear();
        b.channel(0)[0] = 1;
        return 480;
      },
      both, format.max_block, [&](const AudioBlock& b) { heard += b.frames(); });
  EXPECT_EQ(heard, 480 + 2 * one.tail());
}

// Made and reset it begins alike, also where the sound begins below the threshold.
TEST(Gate, BeginsAsItDoesWhenReset) {
  const ChainStep step = with(
      "gate",
      {{"threshold_db", -30}, {"hold_ms", 0}, {"range_db", 40}, {"ratio", 10}, {"attack_ms", 1}});
  const auto p = make_processor(*step.type, step.settings, {}, {48000, 1, 4096});
  AudioBuffer once = test::noise(0.01, 0.08, 3), twice = once;
  p->process(once.block());
  p->reset();
  p->process(twice.block());
  for (size_t i = 0; i < once.channel(0).size(); ++i)
    ASSERT_EQ(once.channel(0)[i], twice.channel(0)[i]) << i;
}

}  // namespace
}  // namespace drevan
