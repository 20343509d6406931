// The wall step and the convolver it stands on.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/convolver.h"
#include "steps/wall_loss.h"
#include "support/steps.h"

namespace drevan {
namespace {

const WallMaterial& material(std::string_view id) {
  for (const auto& m : wall_materials())
    if (m.id == id) return m;
  throw std::runtime_error("no such wall");
}
constexpr double octaves[] = {125, 250, 500, 1000, 2000, 4000};

// Written out anew from the formulas: mass law for sound from all sides, 20 log(m f) - 47 dB, where
// no coincidence is near (any textbook of building acoustics).
TEST(WallStandard, HeavyAndLimpWallsKeepToTheMassLaw) {
  for (const double mm : {20.0, 40.0}) {
    const Wall cloth{&material("cloth"), mm, 0};
    for (const double hz : octaves)
      EXPECT_NEAR(closed_loss_db(cloth, hz), std::max(0.0, 20 * std::log10(0.25 * mm * hz) - 47.5),
                  1.0)
          << hz;
  }
  // Twice the mass and twice the frequency: 6 dB each, while the loss is well above none.
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

// Two leaves: 18 dB an octave above the resonance on the air (Sharp 1978), more than one of their
// mass; below it they are one.
TEST(WallStandard, TwoLeavesGainWhereTheAirIsSoft) {
  const Wall two{&material("plasterboard"), 100, 0};
  EXPECT_NEAR(closed_loss_db(two, 500) - closed_loss_db(two, 250), 18, 1.5);
  const Wall wide{&material("plasterboard"), 175, 0};
  EXPECT_NEAR(closed_loss_db(wide, 250) - closed_loss_db(two, 250), 6, 0.3) << "twice the gap";
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
