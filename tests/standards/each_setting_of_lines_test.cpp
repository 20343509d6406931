// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of telephones, radio and loudspeakers: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <fstream>
#include <numbers>

#include "support/each_setting.h"

namespace drevan::test::each_setting {
namespace {

// Of the tenth choice, whose network is none: what is heard is the microphone and the wire alone.
constexpr double filters_alone = 9;

// Driven far over, a wave is a square, whose third line is a third of the first and whose second is
// none (J. Fourier, 1822); not driven, it stays as it is.
TEST(EachSetting, GritBendsAWaveIntoASquare) {
  const auto lines_db = [](double pct, double amplitude) {
    const auto spectrum = line_spectrum(
        through("telephone",
                {{"network", filters_alone}, {"low_hz", 50}, {"high_hz", 8000}, {"grit_pct", pct}},
                sine(on_bin(500, rate), amplitude, 1.5)),
        16384);
    const double first = line_at(spectrum, 500, rate);
    return std::pair{to_db(line_at(spectrum, 1000, rate) / first),
                     to_db(line_at(spectrum, 1500, rate) / first)};
  };
  EXPECT_LT(lines_db(0, 0.9).second, -90);
  const auto [second, third] = lines_db(100, 0.9);
  EXPECT_NEAR(third, to_db(1 / 3.0), 0.5);
  EXPECT_LT(second, -30);
  // Half of it: 18 dB over; a quiet sound is bent less, the more the more it is driven.
  EXPECT_LT(lines_db(50, 0.01).second, lines_db(50, 0.1).second - 10);
  EXPECT_LT(lines_db(20, 0.1).second, lines_db(50, 0.1).second - 10);
}

// Of one network that adds nothing what comes back is the sound itself: amplitudes add.
TEST(EachSetting, SideToneIsAddedAtItsLevel) {
  const AudioBuffer x = sine(1000, 0.1, 1);
  const auto heard = [&](double db) {
    return level_db(through("telephone", {{"network", filters_alone}, {"side_db", db}}, x), 0, 0.5,
                    0.4);
  };
  for (const double db : {-24.0, -12.0, 0.0})
    EXPECT_NEAR(heard(db) - heard(-60), to_db(1 + from_db(db)), 0.02) << db;
}

// Two carriers on nearly one frequency beat (any textbook of radio): the detector hears their
// difference as a whistle whose amplitude is the ratio of both. Here 100 % of modulation is 0.8 of
// the carrier, and leaves the step as 0.3.
TEST(EachSetting, AnotherStationWhistlesAtItsLevel) {
  const auto whistle = [](double db) {
    // So faint that it does not modulate, and keeps the receiver open.
    return level_db(through("radio-link",
                            {{"system", 0},
                             {"low_hz", 50},
                             {"high_hz", 6000},
                             {"signal_db", 60},
                             {"station_db", db}},
                            sine(1000, 1e-6, 3)),
                    0, 1.5, 1.4);
  };
  EXPECT_LT(whistle(-60), -55);
  for (const double db : {-30.0, -20.0})
    EXPECT_NEAR(whistle(db), db - 3.01 - to_db(0.8) + to_db(0.3), 0.7) << db;
}

// Tuned off, one sideband stays in the channel and the other leaves it: the envelope is that of the
// sum of what is left (A. B. Carlson, "Communication systems", vestigial sidebands). The channel is
// a Butterworth filter of the fourth order, 4.5 kHz to each side.
TEST(EachSetting, TunedOffOneSidebandIsLost) {
  constexpr double tone = 2500;
  const auto channel = [](double hz) {
    const std::complex<double> s(0, hz / 4500);
    std::complex<double> h = 1;
    for (const double damping :
         {2 * std::cos(std::numbers::pi / 8), 2 * std::cos(3 * std::numbers::pi / 8)})
      h /= s * s + damping * s + 1.0;
    return h;
  };
  const auto envelope_db = [&](double off) {
    const auto carrier = channel(-off);
    return to_db(
        std::abs(channel(tone - off) / carrier + std::conj(channel(-tone - off) / carrier)) / 2);
  };
  const auto heard = [](double off) {
    return tone_db(
        through(
            "radio-link",
            {{"system", 0}, {"low_hz", 50}, {"high_hz", 6000}, {"signal_db", 60}, {"off_hz", off}},
            sine(tone, 0.2, 3)),
        tone, 1.5, 1.4);
  };
  for (const double off : {-3500.0, 2500.0, 3500.0})
    EXPECT_NEAR(heard(off) - heard(0), envelope_db(off) - envelope_db(0), 1.5) << off;
  EXPECT_LT(envelope_db(3500) - envelope_db(0), -2.5) << "so that there is something to hear";
}

class EachSettingOfADevice : public testing::Test {
 protected:
  double gain_db(const std::vector<Named>& values, double hz) {
    ChainStep step = set("loudspeaker", values);
    set_text(step, "own", file_.string());
    return level_db(through(step, sine(hz, 0.001, 1.5)), 0, 0.5, 0.9) -
           level_db(sine(hz, 0.001, 1.5), 0, 0.5, 0.9);
  }
  void describe(const std::string& json) { std::ofstream(file_) << json; }
  TempFolder folder_;
  std::filesystem::path file_ = folder_ / "a device of somebody else's.json";
};

// R. H. Small, JAES 20(10), 1972: with a Q of 0.7071 a closed box is 3.01 dB down at its resonance.
// An octave is twelve semitones.
TEST_F(EachSettingOfADevice, OnesOwnDeviceIsHeardAndItsEndsAreMovedBySemitones) {
  describe(R"({"box":"closed","resonance_hz":300,"q":0.70711,"upper_hz":3000,
      "upper_slope_db":24,"radius_mm":1,"excursion_dbfs":40})");
  EXPECT_NEAR(gain_db({}, 300), -3.01, 0.2) << "own";
  EXPECT_NEAR(gain_db({}, 3000), -3.01, 0.2) << "own";
  for (const double st : {-12.0, -5.0, 7.0}) {
    EXPECT_NEAR(gain_db({{"bass_st", st}}, 300 * std::exp2(st / 12)), -3.01, 0.25) << st;
    EXPECT_NEAR(gain_db({{"treble_st", st}}, 3000 * std::exp2(st / 12)), -3.01, 0.25) << st;
    EXPECT_NEAR(gain_db({{"bass_st", st}}, 3000), -3.01, 0.25) << "the other end stays";
    EXPECT_NEAR(gain_db({{"treble_st", st}}, 300), -3.01, 0.25) << "the other end stays";
  }
}

}  // namespace
}  // namespace drevan::test::each_setting
