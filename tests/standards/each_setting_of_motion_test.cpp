// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of copies, echoes and oscillators: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/each_setting.h"

namespace drevan::test::each_setting {
namespace {

TEST(EachSetting, EachCopyOfTheDoublerIsShiftedDelayedAndPlaced) {
  for (int copy = 1; copy <= 4; ++copy) {
    const std::string n = std::to_string(copy);
    std::vector<Named> values{{"dry_db", -60}, {"drift_ms", 0}};
    for (int other = 1; other <= 4; ++other)
      values.push_back({"level_" + std::to_string(other) + "_db", other == copy ? -6.0 : -60.0});
    auto placed = values;
    placed.insert(placed.end(), {{"delay_" + n + "_ms", 40}, {"pan_" + n + "_pct", -100}});
    AudioBuffer click(2, 48000);
    click.channel(0)[12000] = click.channel(1)[12000] = 1;
    const AudioBuffer heard = through("doubler", placed, click);
    const auto at = std::ranges::max_element(heard.channel(0)) - heard.channel(0).begin();
    EXPECT_EQ(at, 12000 + 1920) << copy;
    EXPECT_LT(test::rms_db(heard.channel(1)), test::rms_db(heard.channel(0)) - 40) << copy;
    // A voice an octave higher: equal temperament, 2^(st / 12).
    AudioBuffer voice(1, 96000);
    for (size_t i = 0; i < voice.channel(0).size(); ++i)
      for (int k = 1; k <= 12; ++k)
        voice.channel(0)[i] += static_cast<float>(
            0.1 / k * std::sin(2 * std::numbers::pi * 150 * k * static_cast<double>(i) / rate));
    auto higher = values;
    higher.push_back({"shift_" + n + "_st", 12});
    const auto spectrum = test::line_spectrum(through("doubler", higher, voice), 40000);
    EXPECT_GT(to_db(test::line_at(spectrum, 300, rate)),
              to_db(test::line_at(spectrum, 150, rate)) + 20)
        << copy;
    EXPECT_GT(to_db(test::line_at(spectrum, 600, rate)),
              to_db(test::line_at(spectrum, 450, rate)) + 20)
        << copy;
  }
}

TEST(EachSetting, EveryTapOfTheDelayHasItsTimeLevelSideAndRounds) {
  for (int tap = 1; tap <= 4; ++tap) {
    const std::string n = std::to_string(tap);
    std::vector<Named> values{{"low_hz", 20}, {"high_hz", 20000}, {"mix_pct", 100}, {"out", 1}};
    for (int other = 1; other <= 4; ++other)
      values.push_back({"level_" + std::to_string(other) + "_db", other == tap ? -9.0 : -60.0});
    values.insert(
        values.end(),
        {{"time_" + n + "_ms", 125}, {"pan_" + n + "_pct", 0}, {"feedback_" + n + "_pct", 40}});
    AudioBuffer click(2, 48000);
    click.channel(0)[100] = click.channel(1)[100] = 0.5F;
    const AudioBuffer heard = through("delay", values, click);
    const auto echo = [](const AudioBuffer& x, int channel, int round) {
      return static_cast<double>(x.channel(channel)[100 + static_cast<size_t>(round) * 6000]);
    };
    // In the middle both sides are alike; each echo is 40 % of the one before.
    EXPECT_NEAR(echo(heard, 0, 1), echo(heard, 1, 1), 1e-6) << tap;
    EXPECT_NEAR(to_db(echo(heard, 0, 2) / echo(heard, 0, 1)), to_db(0.4), 0.02) << tap;
    auto left = values;
    left.back() = {"feedback_" + n + "_pct", 0};
    left.push_back({"pan_" + n + "_pct", -100});
    const AudioBuffer at_left = through("delay", left, click);
    EXPECT_NEAR(to_db(echo(at_left, 0, 1) / 0.5), -9, 0.05) << tap;
    EXPECT_LT(std::abs(echo(at_left, 1, 1)), 1e-5) << tap;
    EXPECT_LT(std::abs(echo(at_left, 0, 2)), 1e-5) << tap;
  }
}

// How loud a high tone is in each 64th of a cycle.
std::vector<double> course(const AudioBuffer& x, int channel, double cycle_s) {
  std::vector<double> out;
  const double window = cycle_s / 64;
  for (double at = cycle_s; at + window < static_cast<double>(x.frames()) / rate; at += window)
    out.push_back(from_db(level_db(x, channel, at, window)));
  return out;
}
// By how much of a cycle the second lags the first: where they are most alike.
double lag_of(const std::vector<double>& first, const std::vector<double>& second) {
  double best = 0, most = -2;
  for (int lag = 0; lag < 64; ++lag) {
    double ab = 0, aa = 0, bb = 0, ma = 0, mb = 0;
    const size_t n = first.size() - 64;
    for (size_t i = 0; i < n; ++i) ma += first[i], mb += second[i + static_cast<size_t>(lag)];
    ma /= static_cast<double>(n), mb /= static_cast<double>(n);
    for (size_t i = 0; i < n; ++i) {
      const double a = first[i] - ma, b = second[i + static_cast<size_t>(lag)] - mb;
      ab += a * b, aa += a * a, bb += b * b;
    }
    if (const double alike = ab / std::sqrt(aa * bb + 1e-30); alike > most)
      most = alike, best = lag / 64.0;
  }
  return most > 0.9 ? best : -1;
}

// The right side goes behind the left by so many degrees of a cycle.
TEST(EachSetting, TheSidesOfAnOscillatorAreApartByTheirPhase) {
  const std::pair<const char*, std::vector<Named>> steps[] = {
      {"tremolo", {{"rate_hz", 2}, {"depth_pct", 80}}},
      {"wah", {{"rate_hz", 2}, {"low_hz", 500}, {"high_hz", 3000}, {"mix_pct", 100}, {"level", 1}}},
      {"flanger",
       {{"rate_hz", 2}, {"delay_ms", 1}, {"depth_ms", 0.2}, {"feedback_pct", 0}, {"level", 1}}},
      {"phaser", {{"rate_hz", 2}, {"feedback_pct", 0}, {"level", 1}}},
  };
  for (const auto& [id, values] : steps)
    for (const double degrees : {0.0, 45.0, 90.0, 135.0}) {
      auto of = values;
      of.insert(of.end(), {{"shape", 0}, {"phase_deg", degrees}, {"out", 1}});
      const AudioBuffer heard = through(id, of, both(test::sine(2100, 0.3, 4)));
      const double lag = lag_of(course(heard, 0, 0.5), course(heard, 1, 0.5));
      EXPECT_NEAR(lag, degrees / 360, 1.5 / 64) << id << " " << degrees;
    }
}

// What the names of waves mean: the share of a cycle that is spent in the upper half, whether it
// goes up or down slowly, and whether it stays at its ends. Of the steps that do not simply turn
// the level, where a tone's level follows the movement in one direction.
TEST(EachSetting, TheWavesOfAnOscillatorAreWhatTheyAreCalled) {
  const auto slowly_up = [](const std::vector<double>& x) {
    int up = 0, down = 0;
    for (size_t i = 1; i < x.size(); ++i) (x[i] > x[i - 1] ? up : down)++;
    return static_cast<double>(up) / (up + down);
  };
  const auto at_ends = [](const std::vector<double>& x) {
    const auto [least, most] = std::ranges::minmax(x);
    const auto count = std::ranges::count_if(x, [&](double v) {
      return v < least + 0.1 * (most - least) || v > most - 0.1 * (most - least);
    });
    return static_cast<double>(count) / static_cast<double>(x.size());
  };
  const std::pair<const char*, std::vector<Named>> steps[] = {
      {"tremolo", {{"rate_hz", 2}, {"depth_pct", 90}}},
      // Above the whole way of its resonance a tone is the louder the higher that is.
      {"wah",
       {{"rate_hz", 2},
        {"low_hz", 500},
        {"high_hz", 1500},
        {"mix_pct", 100},
        {"resonance_q", 1},
        {"level", 1}}},
  };
  for (const auto& [id, values] : steps) {
    const auto of = [&, id = id, &values = values](int shape) {
      auto all = values;
      all.push_back({"shape", shape});
      return course(through(id, all, test::sine(3100, 0.3, 5)), 0, 0.5);
    };
    // A sine is within a tenth of its ends for 2 acos(0.8) / pi = 41 % of the time, a triangle for
    // 20 %.
    if (std::string_view(id) == "tremolo") {
      EXPECT_NEAR(at_ends(of(0)), 0.41, 0.05);
      EXPECT_NEAR(at_ends(of(1)), 0.20, 0.07);
    }
    EXPECT_NEAR(slowly_up(of(0)), 0.5, 0.06) << id;
    EXPECT_NEAR(slowly_up(of(1)), 0.5, 0.06) << id;
    EXPECT_GT(at_ends(of(2)), 0.85) << id << ": a square stays at its ends";
    EXPECT_GT(slowly_up(of(3)), 0.85) << id << ": rising";
    EXPECT_LT(slowly_up(of(4)), 0.15) << id << ": falling";
    const auto drift = of(5);
    EXPECT_LT(at_ends(drift), 0.6) << id << ": chance";
  }
}

// The ring's tone goes up and down by so many semitones.
TEST(EachSetting, TheRingsToneWandersBySemitones) {
  AudioBuffer x(1, 5 * 48000);
  std::ranges::fill(x.channel(0), 0.5F);
  x = through(
      "ring-modulator",
      {{"carrier_hz", 400}, {"depth_pct", 100}, {"wander_st", 7}, {"rate_hz", 0.4}, {"level", 1}},
      x);
  double least = 1e9, most = 0, last = -1;
  for (size_t i = 4800; i < x.channel(0).size(); ++i) {
    const auto a = static_cast<double>(x.channel(0)[i - 1]),
               b = static_cast<double>(x.channel(0)[i]);
    if (!(a < 0 && b >= 0)) continue;
    const double at = static_cast<double>(i) - b / (b - a);
    if (last > 0) {
      least = std::min(least, rate / (at - last));
      most = std::max(most, rate / (at - last));
    }
    last = at;
  }
  EXPECT_NEAR(12 * std::log2(most / 400), 7, 0.1);
  EXPECT_NEAR(12 * std::log2(least / 400), -7, 0.1);
}

// The resonance of a second-order filter is so much higher than what lies far off as its Q says: at
// its middle a band-pass has 0 dB and is 3 dB down at both edges, which are middle / Q apart.
TEST(EachSetting, TheWahsResonanceIsAsNarrowAsItsQ) {
  for (const double q : {1.0, 4.0, 10.0}) {
    const std::vector<Named> values{{"rate_hz", 0.05},  {"low_hz", 1000}, {"high_hz", 1000},
                                    {"resonance_q", q}, {"mix_pct", 100}, {"level", 1}};
    const double middle = gain_db("wah", values, 1000);
    const double edge = 1000 * (std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q));
    EXPECT_NEAR(gain_db("wah", values, edge) - middle, -3.01, 0.5) << q;
    EXPECT_NEAR(gain_db("wah", values, 1e6 / edge) - middle, -3.01, 0.5) << q;
  }
}

// By its loudness a sound is turned by nothing at -14 dBFS, a loud word, and wholly at -50, which is
// as good as silence; half way, at -32, by half.
TEST(EachSetting, ATremoloThatIsMovedByLoudnessFollowsTheWord) {
  const auto turned = [](double dbfs) {
    const AudioBuffer x = sine(1000, from_db(dbfs) * std::sqrt(2), 1.5);
    return level_db(through("tremolo", {{"moved_by", 1}, {"depth_pct", 100}}, x), 0, 0.8, 0.6) -
           dbfs;
  };
  EXPECT_NEAR(turned(-14), 0, 0.1);
  EXPECT_NEAR(turned(-6), 0, 0.1);
  EXPECT_NEAR(turned(-32), to_db(0.5), 0.3);
  EXPECT_NEAR(turned(-41), to_db(0.25), 0.5);
  EXPECT_LT(turned(-52), -40);
}
TEST(EachSetting, AWahThatIsMovedByLoudnessOpensWithTheWord) {
  const auto gain = [](double hz, double dbfs) {
    const AudioBuffer x = sine(hz, from_db(dbfs) * std::sqrt(2), 2);
    return level_db(through("wah",
                            {{"moved_by", 1},
                             {"low_hz", 300},
                             {"high_hz", 3000},
                             {"resonance_q", 8},
                             {"mix_pct", 100},
                             {"level", 1}},
                            x),
                    0, 1, 0.9) -
           dbfs;
  };
  EXPECT_GT(gain(3000, -10), gain(300, -10) + 20) << "loud: it stands at the top";
  EXPECT_GT(gain(300, -55), gain(3000, -55) + 20) << "quiet: at the bottom";
  EXPECT_NEAR(gain(3000, -10), gain(300, -55), 0.5);
}

}  // namespace
}  // namespace drevan::test::each_setting
