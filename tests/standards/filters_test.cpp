// SPDX-License-Identifier: GPL-3.0-or-later
// Filters against the W3C Audio EQ Cookbook (R. Bristow-Johnson, 2021), Butterworth theory
// (S. Butterworth 1930: |H|^2 = 1 / (1 + w^2n), 3.01 dB down at the corner) and SciPy.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "dsp/filter_bank.h"
#include "dsp/fft.h"
#include "steps/catalogue.h"
#include "support/steps.h"

namespace drevan {
namespace {

nlohmann::json reference() {
  std::ifstream in(DREVAN_SOURCE_DIR "/tests/standards/reference/reference.json");
  return nlohmann::json::parse(in);
}

Settings with(const StepType& type, std::initializer_list<std::pair<const char*, double>> values) {
  Settings s = standard_settings(type);
  for (const auto& [id, v] : values)
    s.values.at(static_cast<size_t>(parameter_index(type, id))) = v;
  return s;
}

// Magnitude in dB that a step really has: the spectrum of its impulse response.
class Measured {
 public:
  Measured(const StepType& type, const Settings& settings, double rate = 48000) : rate_(rate) {
    const auto p = make_processor(type, settings, {}, {rate, 1, size});
    FloatVector x(size);
    x[0] = 1;
    float* data = x.data();
    p->process({&data, 1, size});
    ComplexVector bins(size / 2 + 1);
    RealFft(size).forward(x, bins);
    for (const auto& b : bins) db_.push_back(20 * std::log10(std::max(1e-9F, std::abs(b))));
  }
  double at(double hz) const {
    const double k = hz / rate_ * size;
    const auto i = static_cast<size_t>(k);
    return db_[i] + (k - static_cast<double>(i)) * (db_[i + 1] - db_[i]);
  }

 private:
  static constexpr int size = 1 << 17;
  double rate_;
  std::vector<double> db_;
};

TEST(CutStandard, MatchesScipyButterworth) {
  const auto ref = reference();
  const StepType& cut = *find_step("cut");
  for (const auto& r : ref["butterworth"]) {
    const bool low = r["kind"] == "highpass";
    const Settings s = with(cut, {{"low_hz", low ? r["hz"].get<double>() : 10.0},
                                  {"low_slope_db", r["order"].get<double>() / 2 - 1},
                                  {"high_hz", low ? 24000.0 : r["hz"].get<double>()},
                                  {"high_slope_db", r["order"].get<double>() / 2 - 1}});
    const Measured m(cut, s);
    for (size_t i = 0; i < r["probe_hz"].size(); ++i) {
      const double hz = r["probe_hz"][i], db = r["db"][i];
      if (db < -190) continue;  // SciPy's values end there
      EXPECT_NEAR(test::response_db(cut, s, hz, 48000), db, 0.01)
          << r["kind"] << r["order"] << " at " << hz;
      if (db > -70 && hz >= 60) {
        EXPECT_NEAR(m.at(hz), db, 0.05) << r["kind"] << r["order"] << " at " << hz;
      }
    }
  }
}

TEST(CutStandard, IsThreeDecibelsDownAtItsCornerAtEverySlopeAndRate) {
  const StepType& cut = *find_step("cut");
  for (const double rate : {44100.0, 48000.0, 96000.0})
    for (int slope = 0; slope < 4; ++slope)
      for (const double hz : {40.0, 80.0, 850.0, 5000.0})
        EXPECT_NEAR(
            test::response_db(cut, with(cut, {{"low_hz", hz}, {"low_slope_db", slope}}), hz, rate),
            10 * std::log10(0.5), 1e-6);
}

TEST(CutStandard, FallsAsSteeplyAsItSays) {
  const StepType& cut = *find_step("cut");
  for (int slope = 0; slope < 4; ++slope) {
    const Settings s = with(cut, {{"low_hz", 1000}, {"low_slope_db", slope}});
    const double octave =
        test::response_db(cut, s, 125, 48000) - test::response_db(cut, s, 62.5, 48000);
    EXPECT_NEAR(octave, 12.04 * (slope + 1), 0.1);
  }
}

TEST(EqualiserStandard, MatchesTheCookbook) {
  const auto ref = reference();
  const StepType& eq = *find_step("equaliser");
  const std::vector<std::string> kinds{"bell", "low_shelf", "high_shelf", "notch"};
  for (const auto& r : ref["cookbook"]) {
    const auto kind = std::ranges::find(kinds, r["kind"].get<std::string>()) - kinds.begin();
    const Settings s = with(eq, {{"band3_kind", static_cast<double>(kind)},
                                 {"band3_hz", r["hz"]},
                                 {"band3_gain_db", r["gain_db"]},
                                 {"band3_q", r["q"]}});
    const Measured m(eq, s);
    for (size_t i = 0; i < r["probe_hz"].size(); ++i) {
      const double hz = r["probe_hz"][i], db = r["db"][i];
      if (db < -60) continue;  // in the notch itself
      EXPECT_NEAR(test::response_db(eq, s, hz, 48000), db, 0.01) << r["kind"] << " at " << hz;
      EXPECT_NEAR(m.at(hz), db, 0.05) << r["kind"] << " at " << hz;
    }
  }
}

TEST(EqualiserStandard, BandsAddUpInDecibels) {
  const StepType& eq = *find_step("equaliser");
  const Settings one = with(eq, {{"band2_gain_db", 4}});
  const Settings two = with(eq, {{"band5_gain_db", -7}, {"band5_q", 3}});
  const Settings both = with(eq, {{"band2_gain_db", 4}, {"band5_gain_db", -7}, {"band5_q", 3}});
  for (const double hz : {50.0, 125.0, 400.0, 1500.0, 6000.0})
    EXPECT_NEAR(test::response_db(eq, both, hz, 48000),
                test::response_db(eq, one, hz, 48000) + test::response_db(eq, two, hz, 48000),
                1e-9);
}

}  // namespace
}  // namespace drevan
