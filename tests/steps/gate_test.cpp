// SPDX-License-Identifier: GPL-3.0-or-later
// The gate against the static curve of an expander (Giannoulis, Massberg and Reiss 2012) and against
// its own times.
#include <gtest/gtest.h>

#include <cmath>

#include "support/steps.h"

namespace drevan {
namespace {

using test::run_step;
using test::with;

double steady_out_db(double in_db,
                     std::initializer_list<std::pair<std::string_view, double>> settings) {
  AudioBuffer x = test::sine(1000, std::pow(10, in_db / 20), 3);
  run_step(with("gate", settings), x);
  return test::rms_db(x.channel(0).subspan(96000, 24000)) + 3.01;
}

TEST(GateStandard, FollowsTheExpandersCurve) {
  for (const double in : {-60.0, -50.0, -45.0, -41.0, -39.0, -20.0}) {
    const double below = std::max(0.0, -40 - in);
    EXPECT_NEAR(
        steady_out_db(
            in, {{"threshold_db", -40}, {"ratio", 3}, {"range_db", 60}, {"hysteresis_db", 0}}),
        in - below * 2, 0.7)
        << in;
    EXPECT_NEAR(
        steady_out_db(in,
                      {{"threshold_db", -40}, {"ratio", 3}, {"range_db", 9}, {"hysteresis_db", 0}}),
        in - std::min(9.0, below * 2), 0.7)
        << in;
  }
}

TEST(Gate, HoldsThenCloses) {
  AudioBuffer x = test::sine(1000, 0.1, 2);
  for (size_t i = 48000; i < 96000; ++i) x.channel(0)[i] *= 0.01F;  // 20 dB below the threshold
  run_step(with("gate", {{"threshold_db", -40},
                         {"ratio", 20},
                         {"range_db", 30},
                         {"hold_ms", 200},
                         {"release_ms", 50}}),
           x);
  const auto level = [&](double at) {
    return test::rms_db(x.channel(0).subspan(static_cast<size_t>(at * 48000), 1200)) + 3.01;
  };
  EXPECT_NEAR(level(1.12), -60, 0.5);  // still held
  EXPECT_NEAR(level(1.8), -90, 1.0);   // closed
}

TEST(Gate, LookAheadOpensBeforeTheWord) {
  const auto first_ms = [](double look_ahead) {
    AudioBuffer x = test::sine(1000, 0.0005, 2);
    const AudioBuffer word = test::sine(1000, 0.2, 1);
    std::copy(word.channel(0).begin(), word.channel(0).end(), x.channel(0).begin() + 48000);
    run_step(with("gate", {{"threshold_db", -40},
                           {"ratio", 20},
                           {"range_db", 60},
                           {"attack_ms", 3},
                           {"look_ahead_ms", look_ahead}}),
             x);
    return test::rms_db(x.channel(0).subspan(48000, 96)) + 3.01 - 20 * std::log10(0.2);
  };
  EXPECT_GT(first_ms(10), -1.0);
  EXPECT_LT(first_ms(0), -6.0);
}

// A level that wavers about the threshold does not make it flutter.
TEST(Gate, HysteresisKeepsItStill) {
  const auto changes = [](double hysteresis) {
    AudioBuffer x = test::sine(1000, 0.01, 4);
    for (size_t i = 0; i < x.channel(0).size(); ++i)
      x.channel(0)[i] *= static_cast<float>(
          1 + 0.15 * std::sin(2 * 3.14159265 * 3 * static_cast<double>(i) / 48000));
    const AudioBuffer in = x;
    run_step(with("gate", {{"threshold_db", -40},
                           {"ratio", 20},
                           {"range_db", 20},
                           {"hold_ms", 0},
                           {"release_ms", 10},
                           {"hysteresis_db", hysteresis}}),
             x);
    double least = 0, most = -100;
    for (size_t i = 48000; i + 2400 < x.channel(0).size(); i += 2400) {
      const double g = test::rms_db(x.channel(0).subspan(i, 2400)) -
                       test::rms_db(in.channel(0).subspan(i, 2400));
      least = std::min(least, g);
      most = std::max(most, g);
    }
    return most - least;
  };
  EXPECT_GT(changes(0), 6);
  EXPECT_LT(changes(6), 0.1);
}

}  // namespace
}  // namespace drevan
