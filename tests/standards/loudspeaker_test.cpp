// SPDX-License-Identifier: GPL-3.0-or-later
// The loudspeaker step against what is published of loudspeakers.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <fstream>
#include <numbers>

#include "dsp/cone.h"
#include "audio/decibel.h"
#include "audio/error.h"
#include "steps/line/loudspeaker_response.h"
#include "steps/picture_spec.h"
#include "support/steps.h"

namespace drevan {
namespace {

const SpeakerDevice& device(std::string_view id) {
  for (const auto& d : speaker_devices())
    if (d.id == id) return d;
  throw std::runtime_error("no such device");
}
int index_of(std::string_view id) {
  return static_cast<int>(&device(id) - speaker_devices().data());
}

// Gain of a step for a weak tone, dB, once it has settled.
double gain_db(const ChainStep& step, double hz, double level = 0.001, double rate = 48000) {
  AudioBuffer x = test::sine(hz, level, 1.5, rate);
  test::run_step(step, x, rate);
  const auto half = static_cast<size_t>(rate / 2);
  return test::rms_db(x.channel(0).subspan(half, half)) -
         test::rms_db(test::sine(hz, level, 0.5, rate).channel(0));
}

// Where a gain falls to 3.01 dB below that at `from_hz`, by halving.
template <class Gain>
double corner_hz(Gain gain, double from_hz, double to_hz) {
  const double wanted = gain(from_hz) - 3.0103;
  for (int i = 0; i < 24; ++i) {
    const double middle = std::sqrt(from_hz * to_hz);
    (gain(middle) > wanted ? from_hz : to_hz) = middle;
  }
  return from_hz;
}

// A step that is a described device, from a file of the test.
class Described : public testing::Test {
 protected:
  ChainStep described(const std::string& json) {
    const auto file = folder_ / (std::to_string(++count_) + ".json");
    std::ofstream(file) << json;
    ChainStep step = make_step("loudspeaker");
    step.settings.texts[0] = file.string();
    return step;
  }
  test::TempFolder folder_;
  int count_ = 0;
};
using LoudspeakerStandard = Described;

// R. H. Small, "Closed-box loudspeaker systems", part I, JAES 20(10), 1972: the gain at the
// resonance is Q, and f3 / f = sqrt(((1/Q^2 - 2) + sqrt((1/Q^2 - 2)^2 + 4)) / 2).
TEST_F(LoudspeakerStandard, AClosedBoxHasItsResonanceItsQAndItsCorner) {
  for (const auto& [hz, q] : {std::pair{80.0, 0.5}, {150.0, 0.7071}, {420.0, 1.1}, {700.0, 2.6}}) {
    const auto step = described(fmt::format(
        R"({{"box":"closed","resonance_hz":{},"q":{},"radius_mm":1,"excursion_dbfs":40}})", hz, q));
    EXPECT_NEAR(gain_db(step, hz), 20 * std::log10(q), 20 * std::log10(1.02)) << hz;
    const double r = 1 / (q * q) - 2, f3 = hz * std::sqrt((r + std::sqrt(r * r + 4)) / 2);
    const double corner =
        corner_hz([&](double f) { return f > 8000 ? 0 : gain_db(step, f); }, 8001, hz / 4);
    EXPECT_NEAR(corner / f3, 1, 0.02) << hz << ", Q " << q;
  }
}

TEST_F(LoudspeakerStandard, AnUpperEndIsThreeDecibelsDownWhereItSays) {
  for (const int slope : {12, 24})
    for (const double hz : {1800.0, 5000.0, 12000.0}) {
      const auto step = described(fmt::format(
          R"({{"box":"closed","resonance_hz":40,"q":0.7,"upper_hz":{},"upper_slope_db":{},
          "radius_mm":1,"excursion_dbfs":40}})",
          hz, slope));
      const double corner = corner_hz([&](double f) { return gain_db(step, f); }, 600, 16000);
      EXPECT_NEAR(corner / hz, 1, 0.02) << slope;
    }
}

// Beranek and Mellow 2012, chapter 9: below its cut-off a horn carries an evanescent wave, above it
// the throat's resistance goes towards that of a tube.
TEST_F(LoudspeakerStandard, AHornBeginsAtItsCutOff) {
  const auto step = described(
      R"({"box":"horn","resonance_hz":20,"q":0.7,"horn_hz":400,"horn_m":0.5,"radius_mm":1,
      "excursion_dbfs":40})");
  const double corner = corner_hz([&](double f) { return gain_db(step, f); }, 6000, 200);
  EXPECT_NEAR(corner / 400, 1, 0.02);
  const double decay = 2 * std::numbers::pi / sound_m_s * std::sqrt(400.0 * 400 - 150 * 150) * 0.5;
  EXPECT_NEAR(gain_db(step, 150) - gain_db(step, 6000), -3.01 - 8.686 * decay, 1.0);
}

// A piston in a wall: its beam is 6 dB down where ka sin(angle) is 2.2 (2 J1(z) / z = 0.5; any
// textbook), and the polynomials are the function itself.
TEST_F(LoudspeakerStandard, APistonBeams) {
  for (double z = 0.05; z < 40; z += 0.05)
    EXPECT_NEAR(piston_factor(z), 2 * std::cyl_bessel_j(1, z) / z, 2e-6) << z;
  Speaker speaker;
  speaker.radius_mm = 100;
  const double hz =
      2.215 * sound_m_s / (2 * std::numbers::pi * 0.1 * std::sin(std::numbers::pi / 4));
  EXPECT_NEAR(angle_db(speaker, hz, 45), -6, 0.2);
  EXPECT_NEAR(angle_db(speaker, hz, 0), 0, 1e-9);
  // And it is heard so.
  const auto at = [&](double angle) {
    auto step = described(
        R"({"box":"closed","resonance_hz":40,"q":0.7,"radius_mm":100,"excursion_dbfs":40})");
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, "angle_deg"))] = angle;
    return gain_db(step, hz);
  };
  EXPECT_NEAR(at(45) - at(0), -6, 0.3);
}

// Every device that comes with the program sounds as it is drawn, at two rates.
TEST(Loudspeakers, EachSoundsAsItIsDrawn) {
  ASSERT_GE(speaker_devices().size(), 16U);
  const auto& spec = std::get<LoudspeakerSpec>(spec_of(find_step("loudspeaker")->picture));
  for (size_t i = 0; i < speaker_devices().size(); ++i)
    for (const double rate : {48000.0, 44100.0}) {
      const auto step = test::with("loudspeaker", {{"device", static_cast<double>(i)},
                                                   {"angle_deg", i % 2 == 0 ? 0.0 : 40.0}});
      for (const double hz : {125.0, 315.0, 800.0, 1600.0, 3150.0, 6300.0}) {
        const double drawn = spec.response_db(step.settings, std::array{hz}).front();
        if (drawn > -35) {
          EXPECT_NEAR(gain_db(step, hz, 0.001, rate), drawn, 0.6)
              << speaker_devices()[i].id << ' ' << hz << " Hz at " << rate;
        }
      }
    }
}

// Amplitude of a tone within a sound of whole periods.
double amplitude(std::span<const float> x, double hz) {
  std::complex<double> sum = 0;
  for (size_t i = 0; i < x.size(); ++i)
    sum += static_cast<double>(x[i]) *
           std::polar(1.0, -2 * std::numbers::pi * hz * static_cast<double>(i) / 48000);
  return 2 * std::abs(sum) / static_cast<double>(x.size());
}

// The spring that grows stiffer with the square of its way, by harmonic balance (Nayfeh and Mook,
// "Nonlinear oscillations", 1979, chapter 4): the third harmonic grows with the square of the level
// while it is small.
TEST(ConeStandard, ItsThirdHarmonicIsThatOfADuffingSpring) {
  for (const double u : {0.05, 0.1}) {
    Cone cone(1);
    std::array<std::array<float, Cone::most_frames>, 1> moved;
    Cone::Motion m;
    m.warped.fill(std::tan(std::numbers::pi * 100 / 48000));
    m.damping.fill(1 / 0.8);
    m.stiffening.fill(1);
    AudioBuffer x = test::sine(100, u, 3);
    for (Samples at = 0; at + 128 <= x.frames(); at += 128)
      cone.process(x.block(at, 128), m, moved);
    const auto steady = x.channel(0).subspan(48000, 48000);
    Speaker described;
    described.q = 0.8;
    described.excursion_dbfs = 0;
    described.clip_dbfs = 40;
    const double y = amplitude(steady, 100), wanted = 9 * y * y / 4 / std::hypot(8, 3 / 0.8);
    EXPECT_NEAR(y, 0.8 * u, 0.02 * u) << "nearly linear";
    EXPECT_NEAR(amplitude(steady, 300) / y / wanted, 1, 0.1) << u;
    EXPECT_NEAR(distortion_pct(described, to_db(u), true) / 100 / wanted, 1, 0.1);
  }
}

// Fourier series of a sine cut off at 1 / over of its height (any handbook): what is drawn of an
// amplifier that clips, and what is heard of it.
TEST_F(LoudspeakerStandard, AnAmplifierClipsAsItsLimitSays) {
  const auto clipped_pct = [](double over) {
    if (over <= 1) return 0.0;
    const double a = std::asin(1 / over), c = std::cos(a), pi = std::numbers::pi;
    const double first = 2 / pi * (a + c / over) * over;
    const double power = over * over / pi * (a - c / over) + 1 - 2 * a / pi;  // mean square
    return 100 * std::sqrt(std::max(0.0, 2 * power / (first * first) - 1));
  };
  auto step = described(
      R"({"box":"closed","resonance_hz":15,"q":0.7,"radius_mm":1,"clip_dbfs":-12,
      "excursion_dbfs":40})");
  const auto& spec = std::get<LoudspeakerSpec>(spec_of(step.type->picture));
  double last = 0;
  for (const double drive : {-3.0, 3.0, 6.0, 12.0, 24.0}) {
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, "drive_db"))] = drive;
    const double wanted = clipped_pct(from_db(drive));
    EXPECT_NEAR(spec.distortion_pct(step.settings, std::array{-12.0}, false).front(), wanted,
                0.02 * wanted + 0.3);
    AudioBuffer x = test::sine(500, from_db(-12), 1.5);
    test::run_step(step, x);
    const auto steady = x.channel(0).subspan(24000, 24000);
    double others = 0;
    for (int h = 2; h <= 24; ++h) others += std::pow(amplitude(steady, 500.0 * h), 2);
    const double heard = 100 * std::sqrt(others) / amplitude(steady, 500);
    EXPECT_NEAR(heard, wanted, 0.04 * wanted + 0.3) << drive;
    EXPECT_GE(heard, last);
    last = heard;
  }
}

// A worn magnet: Q goes with 1 / Bl^2 (Thiele 1961). Loose parts are heard, and only when driven.
TEST(Loudspeakers, AgeMakesThemDullerLessDampedAndLoose) {
  const Speaker& fresh = device("laptop").speaker;
  const Speaker worn = in_use(fresh, {.age_pct = 100});
  EXPECT_NEAR(worn.q, 2 * fresh.q, 1e-9);
  EXPECT_NEAR(worn.upper_hz, fresh.upper_hz / 2, 1e-9);
  const double laptop = index_of("laptop");
  const auto buzz = [&](double age, double level) {
    const auto step =
        test::with("loudspeaker", {{"device", laptop}, {"age_pct", age}, {"drive_db", -6}});
    AudioBuffer x = test::sine(300, level, 1.0);
    test::run_step(step, x);
    double all = 0, tones = 0;  // between the harmonics there is only noise
    for (const double v : x.channel(0).subspan(24000, 24000)) all += v * v / 12000;
    for (int h = 1; h <= 60; ++h)
      tones += std::pow(amplitude(x.channel(0).subspan(24000, 24000), 300.0 * h), 2);
    return to_db(std::sqrt(std::max(0.0, all - tones))) - to_db(level);
  };
  EXPECT_GT(buzz(100, 0.5), buzz(0, 0.5) + 10);
  EXPECT_LT(buzz(100, 0.01), buzz(100, 0.5) - 20);
}

// A measured response is what is heard, with the cone's own taken out of it.
TEST_F(LoudspeakerStandard, AMeasuredResponseIsWhatIsHeard) {
  const auto file = folder_ / "measured by a friend, long name.csv";
  std::ofstream(file) << "frequency;level\n100;-30\n300;-10\n1000;0\n2000;-6\n4000;2\n8000;-20\n";
  ChainStep step = make_step("loudspeaker");
  step.settings.texts[0] = file.string();
  EXPECT_EQ(step.type->texts[0].fault(file.string()), "");
  const double at_1k = gain_db(step, 1000);
  for (const auto& [hz, db] : {std::pair{300.0, -10.0}, {2000.0, -6.0}, {4000.0, 2.0}})
    EXPECT_NEAR(gain_db(step, hz) - at_1k, db, 0.5) << hz;
}

// Files that are none.
TEST_F(LoudspeakerStandard, ADescriptionWithNonsenseIsToldAndHarmless) {
  const auto says = [&](const std::string& json, const std::string& what) {
    const auto step = described(json);
    EXPECT_THAT(speaker_file_fault(step.settings.texts[0]), testing::HasSubstr(what));
    EXPECT_THROW(read_speaker_device(step.settings.texts[0]), Error);
    // The device of the list plays instead.
    EXPECT_NEAR(gain_db(step, 1000), gain_db(make_step("loudspeaker"), 1000), 1e-6);
  };
  says("", "is empty");
  says("[1, 2", "is no JSON");
  says("[]", "is no description");
  says("{}", "no field \"resonance_hz\"");
  says(R"({"resonance_hz":100,"q":"high"})", "no number at \"q\"");
  says(R"({"resonance_hz":100,"q":1e30})", "allowed is 0.2 to 10");
  says(R"({"resonance_hz":100,"q":1,"box":"horn"})", "no field \"horn_hz\"");
  says(R"({"resonance_hz":100,"q":1,"box":"sphere"})", "allowed are closed");
  says(R"({"resonance_hz":100,"q":1,"color":3})", "unknown field \"color\"");
  says(R"({"resonance_hz":100,"q":1,"break_up":[[1,2]]})", "without 3 numbers");
  says(R"({"resonance_hz":100,"q":1,"measured_db":[[100,0],[100,1]]})", "two measured points");
  const auto table = folder_ / "words.txt";
  std::ofstream(table) << "no numbers here\n";
  EXPECT_THAT(speaker_file_fault(table.string()), testing::HasSubstr("has no line"));
  EXPECT_THAT(speaker_file_fault((folder_ / "gone.json").string()), testing::HasSubstr("empty or"));
}

// The lower end moved by an octave is the same end an octave away: cone, port and horn together, as the formulas of all
// three know frequency only by its ratio to their own.
TEST(LoudspeakerEnds, TheLowerEndMovesAsOne) {
  int ported = 0;
  for (const SpeakerDevice& device : speaker_devices()) {
    Speaker d = device.speaker;
    ported += d.port_hz > 0 ? 1 : 0;
    // The upper end far away, so that the lower one is alone.
    d.upper_hz = 20000;
    d.break_up.count = d.cabinet.count = 0;
    const Speaker up = in_use(d, {.bass_st = 12});
    for (double hz = 0.4 * d.resonance_hz; hz < 1.6 * d.resonance_hz; hz *= 1.1)
      EXPECT_NEAR(cone_db(up, 2 * hz), cone_db(d, hz), 0.05) << device.id << " " << hz;
    if (d.port_hz > 0)
      for (double hz = 0.5 * d.port_hz; hz < 2 * d.port_hz; hz *= 1.1)
        EXPECT_NEAR(body_db(up, 2 * hz) - body_db(up, 8 * d.port_hz),
                    body_db(d, hz) - body_db(d, 4 * d.port_hz), 1)
            << device.id << " " << hz;
  }
  EXPECT_GE(ported, 1);
}

}  // namespace
}  // namespace drevan
