// SPDX-License-Identifier: GPL-3.0-or-later
// The compressor against D. Giannoulis, M. Massberg, J. D. Reiss, "Digital Dynamic Range Compressor
// Design - A Tutorial and Analysis", JAES 60(6), 2012: static curve eq. 4, smooth decoupled detector.
#include <gtest/gtest.h>

#include <cmath>

#include "steps/catalogue.h"
#include "steps/picture_spec.h"
#include "support/sounds.h"

namespace drevan {
namespace {

const StepType& type() { return *find_step("compressor"); }

Settings with(std::initializer_list<std::pair<const char*, double>> values) {
  Settings s = standard_settings(type());
  for (const auto& [id, v] : values)
    s.values.at(static_cast<size_t>(parameter_index(type(), id))) = v;
  return s;
}

// Eq. 4, written out again from the paper.
double curve(double x, double t, double r, double w) {
  if (2 * (x - t) < -w) return x;
  if (2 * std::abs(x - t) <= w && w > 0)
    return x + (1 / r - 1) * std::pow(x - t + w / 2, 2) / (2 * w);
  return t + (x - t) / r;
}

// Level out for a constant level in, once settled.
double settled_db(const Settings& s, double in_db) {
  AudioBuffer x(1, 48000);
  for (float& v : x.channel(0)) v = static_cast<float>(std::pow(10, in_db / 20));
  make_processor(type(), s, {}, {48000, 1, 48000})->process(x.block());
  return 20 * std::log10(x.channel(0)[47999]);
}

TEST(CompressorStandard, FollowsThePublishedCurve) {
  for (const double t : {-30.0, -15.0})
    for (const double r : {1.5, 3.0, 20.0})
      for (const double w : {0.0, 6.0, 12.0}) {
        const Settings s = with({{"threshold_db", t}, {"ratio", r}, {"knee_db", w}});
        for (double in = -60; in <= 0; in += 1.5) {
          EXPECT_NEAR(std::get<TransferSpec>(spec_of(type().picture)).transfer_db(s, in),
                      curve(in, t, r, w), 1e-6)
              << t << r << w << " " << in;
          if (std::fmod(in, 6) == 0) {
            EXPECT_NEAR(settled_db(s, in), curve(in, t, r, w), 0.02)
                << t << " " << r << " " << w << " " << in;
          }
        }
      }
}

TEST(CompressorStandard, RmsDetectorReadsASineThreeDecibelsLower) {
  const AudioBuffer loud = test::sine(1000, 0.5, 1);
  const auto gain_db = [&](double detector) {
    AudioBuffer x = loud;
    make_processor(type(),
                   with({{"detector", detector},
                         {"threshold_db", -30},
                         {"ratio", 20},
                         {"knee_db", 0},
                         {"attack_ms", 50},
                         {"release_ms", 500}}),
                   {}, {48000, 1, 48000})
        ->process(x.block());
    return test::rms_db(x.channel(0).last(9600)) - test::rms_db(loud.channel(0).last(9600));
  };
  EXPECT_NEAR(gain_db(1) - gain_db(0), 3.01 * (1 - 1.0 / 20), 0.35);
}

TEST(CompressorStandard, AttackAndReleaseTakeTheirTime) {
  // A step 20 dB over the threshold with a high ratio: after one attack time 1 - 1/e of the
  // reduction is there (paper, section 2.3).
  const Settings s = with({{"threshold_db", -20},
                           {"ratio", 20},
                           {"knee_db", 0},
                           {"attack_ms", 20},
                           {"release_ms", 200}});
  AudioBuffer x(1, 96000);
  for (size_t i = 0; i < 96000; ++i) x.channel(0)[i] = i < 48000 ? 1.0F : 0.001F;
  const AudioBuffer in = x;
  make_processor(type(), s, {}, {48000, 1, 96000})->process(x.block());
  const auto reduction = [&](size_t i) {
    return 20 * std::log10(in.channel(0)[i] / x.channel(0)[i]);
  };
  EXPECT_NEAR(reduction(960), 19 * (1 - std::exp(-1)), 0.2);
  EXPECT_NEAR(reduction(47999), 19, 0.02);
  // Release 200 ms, then the 20 ms attack filter behind it.
  EXPECT_NEAR(reduction(48000 + 9600), 19 * std::exp(-1), 1.2);
}

TEST(CompressorStandard, MixAndMakeUp) {
  const Settings dry = with({{"threshold_db", -40}, {"mix_pct", 0}, {"make_up_db", 12}});
  EXPECT_NEAR(settled_db(dry, -10), -10, 1e-4);
  const Settings up = with({{"threshold_db", 0}, {"knee_db", 0}, {"make_up_db", 5}});
  EXPECT_NEAR(settled_db(up, -10), -5, 0.01);
}

}  // namespace
}  // namespace drevan
