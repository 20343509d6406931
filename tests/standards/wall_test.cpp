// SPDX-License-Identifier: GPL-3.0-or-later
// The wall step and the convolver it stands on.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/convolver.h"
#include "steps/space/wall_loss.h"
#include "support/steps.h"

namespace drevan {
namespace {

const WallMaterial& material(std::string_view id) {
  for (const auto& m : wall_materials())
    if (m.id == id) return m;
  throw std::runtime_error("no such wall");
}
constexpr double octaves[] = {125, 250, 500, 1000, 2000, 4000};

// ISO 717-1:2013, octaves: the reference curve is moved up until what lies below it adds up to 10 dB
// at most; it is read at 500 Hz.
double weighted_db(const Wall& wall) {
  constexpr std::array<double, 5> reference{36, 45, 52, 55, 56};
  int most = -60;
  for (int up = -60; up <= 30; ++up) {
    double below = 0;
    for (size_t i = 0; i < reference.size(); ++i)
      below += std::max(0.0, reference[i] + up - closed_loss_db(wall, octaves[i]));
    if (below <= 10) most = up;
  }
  return 52 + most;
}

// EN 12758 prints what panes lose, measured, in octaves from 125 Hz (from memory), and their weighted
// loss: one pane, and two with air between. Tests of one building in two laboratories lie 2 dB apart.
TEST(WallStandard, PanesLoseWhatIsPrintedOfThem) {
  struct Pane {
    double mm, weighted;
    std::array<double, 4> loss;  // 125 Hz to 1 kHz, below the dip of most
  };
  for (const Pane& pane : {Pane{4, 29, {17, 20, 26, 32}}, Pane{6, 31, {18, 23, 30, 35}},
                           Pane{8, 32, {20, 24, 29, 34}}}) {
    const Wall glass{&material("glass"), pane.mm, 0};
    for (size_t i = 0; i < pane.loss.size(); ++i)
      EXPECT_NEAR(closed_loss_db(glass, octaves[i]), pane.loss[i], 4) << pane.mm << " mm, " << i;
    EXPECT_NEAR(weighted_db(glass), pane.weighted, 2.5) << pane.mm << " mm";
  }
  EXPECT_NEAR(weighted_db({&material("double_glass"), 4 + 12 + 4, 0}), 29, 3);
}

// ISO 12354-1, annex B: heavy walls of one leaf have a weighted loss of 37.5 lg(m) - 42 dB, m in
// kg/m2 above 150, from many measurements.
TEST(WallStandard, HeavyWallsLoseWhatIsMeasuredOfThem) {
  for (const auto& [id, mm, kg_m2] : {std::tuple{"concrete", 100.0, 230.0},
                                      {"concrete", 140.0, 322.0},
                                      {"concrete", 200.0, 460.0},
                                      {"brick", 115.0, 207.0},
                                      {"brick", 240.0, 432.0}})
    EXPECT_NEAR(weighted_db({&material(id), mm, 0}), 37.5 * std::log10(kg_m2) - 42, 4)
        << id << ", " << mm << " mm";
}

// Of what hangs limp, twice the mass and twice the frequency are 6.02 dB each, while the loss is
// well above none (the mass law of any textbook).
TEST(WallStandard, LimpWallsKeepToTheMassLaw) {
  const Wall thin{&material("cloth"), 20, 0}, thick{&material("cloth"), 40, 0};
  EXPECT_NEAR(closed_loss_db(thick, 2000) - closed_loss_db(thin, 2000), 6.02, 0.1);
  EXPECT_NEAR(closed_loss_db(thin, 4000) - closed_loss_db(thin, 2000), 6.02, 0.1);
}

// The coincidence of 6 mm of glass lies near 2 kHz (12.5 Hz m by thickness; common practice, from
// memory), and there the loss falls behind the mass law.
TEST(WallStandard, GlassHasItsDip) {
  const Wall glass{&material("glass"), 6, 0};
  EXPECT_NEAR(coincidence_hz(material("glass"), 6), 2080, 150);
  EXPECT_LT(closed_loss_db(glass, 2080), closed_loss_db(glass, 1000));
  EXPECT_GT(closed_loss_db(glass, 8000), closed_loss_db(glass, 2080) + 12);
}

// Two leaves: 18 dB an octave above the resonance on the air, twice the gap 6 dB, and 6 dB an octave
// where the studs carry it (Sharp 1978); boards of 12.5 mm on studs have a weighted loss of 36 to 42
// dB, with and without wool (common practice, no source).
TEST(WallStandard, TwoLeavesGainWhatTheirAirAndTheirStudsLetThem) {
  const Wall two{&material("plasterboard"), 100, 0}, wide{&material("plasterboard"), 175, 0};
  EXPECT_NEAR(closed_loss_db(wide, 100 * std::numbers::sqrt2) - closed_loss_db(wide, 100), 9, 0.8);
  EXPECT_NEAR(closed_loss_db(wide, 145) - closed_loss_db(two, 145), 6.02, 0.1) << "twice the gap";
  EXPECT_NEAR(closed_loss_db(two, 1000) - closed_loss_db(two, 500), 6.02, 0.1);
  EXPECT_NEAR(weighted_db(two), 39, 3);
  // Nowhere does it jump.
  for (const Wall& wall : {two, wide, Wall{&material("double_glass"), 20, 0}})
    for (double hz = 30; hz < 16000; hz *= 1.01)
      EXPECT_NEAR(closed_loss_db(wall, hz * 1.01), closed_loss_db(wall, hz), 0.6) << hz;
}

// The powers of parts add: a gap of a hundredth of the wall lets 20 dB through at most.
TEST(WallStandard, AnOpeningIsWhatCounts) {
  const Wall ajar{&material("concrete"), 200, wall_m2 / 100};
  for (const double hz : octaves) {
    EXPECT_NEAR(wall_loss_db(ajar, hz), 20, 0.5) << hz;
    EXPECT_NEAR(wall_loss_db({ajar.material, 200, wall_m2}, hz), 0, 1e-9);
  }
}

double steady_gain_db(const ChainStep& step, double hz) {
  AudioBuffer x = test::sine(hz, 0.5, 1.5);
  test::run_step(step, x);
  return test::rms_db(x.channel(0).subspan(36000, 24000)) -
         test::rms_db(test::sine(hz, 0.5, 0.5).channel(0));
}

// What is heard is what the picture says.
TEST(WallStandard, TheSoundHasTheLossThatIsDrawn) {
  for (const int m : {0, 3, 4, 5, 8})
    for (const double open : {0.0, 0.3}) {
      const auto step = test::with(
          "wall", {{"material", m}, {"thickness_mm", 40}, {"opening_m2", open}, {"room_pct", 0}});
      const Wall wall{&wall_materials()[static_cast<size_t>(m)], 40, open};
      for (const double hz : octaves)
        EXPECT_NEAR(steady_gain_db(step, hz), -wall_loss_db(wall, hz), 1.0)
            << wall.material->id << ", " << hz << " Hz, open " << open;
    }
}

TEST(Convolver, IsAConvolutionHoweverItIsCut) {
  const AudioBuffer x = test::noise(0.2, 0.5, 1), h = test::noise(0.1, 0.05, 2);
  Convolver c(128, h.frames());
  c.set(h.channel(0));
  c.reset();
  std::vector<float> y(x.channel(0).begin(), x.channel(0).end());
  for (size_t at = 0, n = 1; at < y.size(); at += n, n = n % 300 + 7)
    c.process(std::span(y).subspan(at, std::min(n, y.size() - at)));
  for (const size_t i : std::initializer_list<size_t>{0, 5, 127, 128, 5000, 20000}) {
    double want = 0;
    for (size_t k = 0; k < static_cast<size_t>(h.frames()) && k <= i; ++k)
      want += static_cast<double>(h.channel(0)[k]) * static_cast<double>(x.channel(0)[i - k]);
    EXPECT_NEAR(y[i + 128], want, 1e-4) << i;
  }
}

TEST(Convolver, AnotherResponseIsFadedTo) {
  Convolver c(256, 512);
  std::vector<float> one(1, 1.0F), none(1, 0.0F);
  c.set(one);
  c.reset();
  const AudioBuffer x = test::sine(100, 0.5, 1);
  std::vector<float> y(x.channel(0).begin(), x.channel(0).end());
  c.process(std::span(y).first(20000));
  c.set(none);
  c.process(std::span(y).subspan(20000));
  float step = 0;
  for (size_t i = 1; i < y.size(); ++i) step = std::max(step, std::abs(y[i] - y[i - 1]));
  EXPECT_LT(step, 0.02F) << "a sine of 100 Hz and a fade move no faster";
  EXPECT_NEAR(y[30000], 0, 1e-6);
}

// Gains of a known minimum-phase filter give its own impulse response: y = x + a y before, whose
// response is a^n.
TEST(MinimumPhaseFilter, IsTheOneThatComesSoonest) {
  MinimumPhase design(4096);
  std::vector<float> gains(static_cast<size_t>(design.places())), response(512);
  const double a = 0.9;
  for (size_t i = 0; i < gains.size(); ++i) {
    const double w =
        std::numbers::pi * static_cast<double>(i) / static_cast<double>(gains.size() - 1);
    gains[i] = static_cast<float>(-10 * std::log10(1 - 2 * a * std::cos(w) + a * a));
  }
  design.design(gains, response);
  for (size_t n = 0; n < 100; ++n) EXPECT_NEAR(response[n], std::pow(a, n), 1e-4) << n;
}

}  // namespace
}  // namespace drevan
