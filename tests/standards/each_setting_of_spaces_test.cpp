// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of rooms, walls and responses: each is measured once against what its unit says.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "dsp/room.h"
#include "steps/places/acoustics_places.h"
#include "support/decay.h"
#include "support/each_setting.h"
#include "support/mirrored_ears.h"

namespace drevan::test::each_setting {
namespace {

// The index of a surface in the lists.
double surface(std::string_view id) {
  const auto all = surface_materials();
  return static_cast<double>(std::ranges::find(all, id, &SurfaceMaterial::id) - all.begin());
}
// A space whose six sides are alike, one channel, one microphone, a source of no direction.
std::vector<Named> space(double material, std::vector<Named> more = {}) {
  std::vector<Named> all{{"furniture_pct", 0}, {"radiates", 0}, {"listener", 3}, {"people", 0}};
  for (const char* side : {"floor", "ceiling", "front", "back", "left", "right"})
    all.emplace_back(side, material);
  all.insert(all.end(), more.begin(), more.end());
  return all;
}
// Without walls, as wide as it gets.
std::vector<Named> outdoors(std::vector<Named> more = {}) {
  auto all = space(static_cast<double>(surface_materials().size() - 1),
                   {{"width_m", 400}, {"length_m", 400}, {"height_m", 100}, {"stand_y_pct", 50}});
  all.insert(all.end(), more.begin(), more.end());
  return all;
}
AudioBuffer pulse(double seconds) {
  AudioBuffer x(1, static_cast<Samples>(seconds * rate));
  x.channel(0)[4800] = 1;
  return x;
}

TEST(EachSetting, EarlyAndLateArePartsOfAll) {
  const auto heard = [](int part) {
    return through("acoustics", space(surface("concrete"), {{"part", part}}), pulse(3));
  };
  const AudioBuffer all = heard(0), early = heard(1), late = heard(2);
  EXPECT_LT(rms_db(difference(difference(all, early), late).channel(0)),
            rms_db(all.channel(0)) - 80);
  // The direct sound is of the one, what rings on half a second later of the other.
  EXPECT_GT(level_db(early, 0, 0.0995, 0.001), level_db(late, 0, 0.0995, 0.001) + 30);
  EXPECT_GT(level_db(late, 0, 0.9, 0.5), level_db(early, 0, 0.9, 0.5) + 30);
}

// As much up at 8 kHz as down at 125 Hz, nothing in the middle, at 1 kHz.
TEST(EachSetting, BrightnessTurnsTheRoomRoundItsMiddle) {
  const auto octaves = [](double db) {
    const AudioBuffer x = through(
        "acoustics", space(surface("concrete"), {{"part", 2}, {"bright_db", db}}), pulse(3));
    std::array<double, 3> out{};
    constexpr double at[] = {125, 1000, 8000};
    for (size_t k = 0; k < 3; ++k) out[k] = rms_db(octave(x.channel(0), at[k]));
    return out;
  };
  const auto plain = octaves(0);
  for (const double db : {-12.0, 6.0, 12.0}) {
    const auto turned = octaves(db);
    // An octave that is heard reaches into those beside it.
    EXPECT_NEAR(turned[0] - plain[0], -db, 0.15 * std::abs(db) + 0.3) << db;
    EXPECT_NEAR(turned[1] - plain[1], 0, 0.1 * std::abs(db)) << db;
    EXPECT_NEAR(turned[2] - plain[2], db, 0.15 * std::abs(db) + 0.3) << db;
  }
}

// A path straight away from the listener and back: the level tells where it is (6.02 dB for each
// doubling of the way, and the air).
TEST(EachSetting, ADrawnPathIsGoneToItsEndAndBack) {
  ChainStep step = set("acoustics", outdoors({{"distance_m", 10}, {"path", 9}, {"pace_m_s", 5}}));
  set_text(step, "drawn", "0 0, 0 10");
  const AudioBuffer x = sine(500, 0.1, 5);
  const AudioBuffer out = through(step, x);
  const double at_ten =
      level_db(through(set("acoustics", outdoors({{"distance_m", 10}})), x), 0, 1, 1);
  for (const auto& [seconds, metres] :
       {std::pair{1.0, 15.0}, {1.8, 19.0}, {3.0, 15.0}, {3.8, 11.0}})
    EXPECT_NEAR(level_db(out, 0, seconds - 0.02, 0.04) - at_ten,
                -to_db(metres / 10) - air_loss_db_m(500) * (metres - 10), 0.15)
        << seconds << " s";
  // To the right it is seen to the right: of two crossed microphones that one hears more.
  ChainStep aside = set(
      "acoustics", outdoors({{"distance_m", 2}, {"path", 9}, {"pace_m_s", 5}, {"listener", 2}}));
  set_text(aside, "drawn", "0 0, 10 0");
  const AudioBuffer heard = through(aside, x);
  EXPECT_GT(level_db(heard, 1, 1.5, 0.2), level_db(heard, 0, 1.5, 0.2) + 6);
}

// Ears whose file calls left what is right hear what comes from one side as standard ears hear it
// from the other.
TEST(EachSetting, OnesOwnEarsAreHeardWith) {
  const TempFolder folder;
  const auto own = folder / "ears, mirrored.sofa";
  write_mirrored_ears(own);
  const auto heard = [](double azimuth, const std::string& ears) {
    ChainStep step = set("acoustics", outdoors({{"listener", 0}, {"azimuth_deg", azimuth}}));
    set_text(step, "ears", ears);
    return through(step, noise(0.1, 1, 1));
  };
  for (const double azimuth : {90.0, -30.0}) {
    const AudioBuffer mirrored = heard(azimuth, own.string()), other = heard(-azimuth, "");
    EXPECT_LT(rms_db(difference(mirrored, other).channel(0)), rms_db(other.channel(0)) - 60);
    EXPECT_GT(rms_db(difference(mirrored, heard(azimuth, "")).channel(0)),
              rms_db(other.channel(0)) - 6);
  }
}

// A listener who turns to the right hears what is ahead as one who looks ahead hears the left.
TEST(EachSetting, ATurnedListenerHearsTheRestTurned) {
  const auto heard = [](double turn, double azimuth) {
    return through("acoustics",
                   outdoors({{"listener", 2}, {"turn_deg", turn}, {"azimuth_deg", azimuth}}),
                   noise(0.1, 0.5, 1));
  };
  for (const double deg : {30.0, 90.0, -120.0}) {
    const AudioBuffer a = heard(deg, 0), b = heard(0, -deg);
    for (int c = 0; c < 2; ++c) {
      const double level = std::max(rms_db(b.channel(0)), rms_db(b.channel(1)));
      EXPECT_LT(rms_db(difference(a, b).channel(c)), level - 60) << deg;
    }
  }
  const AudioBuffer left = heard(90, 0);
  EXPECT_GT(level_db(left, 0, 0.1, 0.3), level_db(left, 1, 0.1, 0.3) + 6);
}

// W. T. Chu, A. C. C. Warnock, "Detailed directivity of sound fields around human talkers", NRC
// Canada, 2002 (from memory): behind a talker it is some 7 to 9 dB weaker at 1 kHz and some 15 to
// 20 at 8 kHz.
TEST(EachSetting, AVoiceThatFacesAwayIsWeakerWhereItIsHigh) {
  const auto level = [](double faces, double hz) {
    return level_db(
        through("acoustics", outdoors({{"radiates", 1}, {"distance_m", 2}, {"faces_deg", faces}}),
                sine(hz, 0.1, 1)),
        0, 0.5, 0.4);
  };
  double last = 0;
  for (const double hz : {125.0, 500.0, 2000.0, 8000.0}) {
    const double behind = level(0, hz) - level(180, hz);
    EXPECT_GT(behind, last + 1) << hz;
    EXPECT_NEAR(level(0, hz) - level(90, hz), behind / 2, 0.5) << "half on the way, " << hz;
    EXPECT_NEAR(level(90, hz), level(-90, hz), 0.05) << hz;
    last = behind;
  }
  EXPECT_NEAR(level(0, 1000) - level(180, 1000), 8, 1.5);
  EXPECT_NEAR(level(0, 8000) - level(180, 8000), 17.5, 2.5);
}

// Sabine's area of a person is the difference of what a room takes with and without them (ISO
// 354:2003): 0.1 to 0.3 m2 at 125 to 250 Hz, 0.4 to 0.5 at 1 kHz and above (H. Kuttruff, "Room
// acoustics", of one who stands; from memory).
TEST(EachSetting, PeopleTakeAsMuchAsPeopleDo) {
  constexpr double volume = 10 * 12 * 8, surface_m2 = 2 * (120 + 80 + 96.0);
  const auto area = [&](double people, double hz) {
    const AudioBuffer x = through("acoustics",
                                  space(surface("planks"), {{"width_m", 10},
                                                            {"length_m", 12},
                                                            {"height_m", 8},
                                                            {"scatter_pct", 60},
                                                            {"part", 2},
                                                            {"people", people}}),
                                  pulse(8));
    const double t = decay_s(octave(x.channel(0).subspan(9600), hz));
    // C. F. Eyring, JASA 1, 1930, solved for what the surfaces and people take; the air apart.
    const double all = 24 * std::numbers::ln10 / sound_m_s * volume / t -
                       4 * volume * air_loss_db_m(hz) / (10 / std::numbers::ln10);
    return surface_m2 * (1 - std::exp(-all / surface_m2));
  };
  for (const auto& [hz, least, most] :
       {std::tuple{125.0, 0.1, 0.3}, {1000.0, 0.38, 0.52}, {4000.0, 0.38, 0.52}})
    EXPECT_TRUE(least < (area(100, hz) - area(0, hz)) / 100 &&
                (area(100, hz) - area(0, hz)) / 100 < most)
        << hz << " Hz: " << (area(100, hz) - area(0, hz)) / 100 << " m2";
}

// What a wall scatters is missing in its reflection: of three quarters half the amplitude is left.
TEST(EachSetting, WhatIsScatteredIsNotSentBack) {
  // Nothing but a floor.
  const auto floor = [](double scatter, double room) {
    return through("acoustics",
                   outdoors({{"floor", surface("concrete")},
                             {"distance_m", 3},
                             {"scatter_pct", scatter},
                             {"room_db", room}}),
                   pulse(0.5));
  };
  const AudioBuffer direct = floor(0, -40);
  const double plain = rms_db(difference(floor(0, 0), direct).channel(0));
  EXPECT_GT(plain, rms_db(direct.channel(0)) - 12);
  for (const double pct : {50.0, 75.0, 90.0})
    EXPECT_NEAR(rms_db(difference(floor(pct, 0), direct).channel(0)) - plain,
                10 * std::log10(1 - pct / 100), 0.1)
        << pct;
}

// M. R. Schroeder, JASA 37, 1965: seconds to fall by 60 dB.
TEST(EachSetting, TheRoomBehindAWallRingsAsLongAsItSays) {
  for (const double s : {0.4, 1.0, 2.0}) {
    const AudioBuffer x = through(
        "wall",
        {{"material", 8}, {"thickness_mm", 1}, {"opening_m2", 4}, {"room_s", s}, {"room_pct", 100}},
        pulse(2 * s + 1));
    EXPECT_NEAR(decay_s(octave(x.channel(0).subspan(9600), 1000)) / s, 1, 0.08) << s;
  }
}

// J. S. Abel, P. Huang, "A simple, robust measure of reverberation echo density", AES 121st
// Convention, 2006: how many samples lie beyond one standard deviation, 1 where they are as chance
// (31.73 % of them).
double echo_density(const AudioBuffer& x, double at_s, double window_s = 0.02) {
  const auto part =
      x.channel(0).subspan(static_cast<size_t>(at_s * rate), static_cast<size_t>(window_s * rate));
  const double sigma = rms(part);
  const auto beyond = std::ranges::count_if(
      part, [&](float v) { return std::abs(static_cast<double>(v)) > sigma; });
  return static_cast<double>(beyond) / static_cast<double>(part.size()) / std::erfc(std::sqrt(0.5));
}
TEST(EachSetting, DiffusionMakesManyEchoesOfFew) {
  const auto density = [](double pct) {
    return echo_density(through("reverb",
                                {{"diffusion_pct", pct},
                                 {"early_db", -60},
                                 {"pre_delay_ms", 0},
                                 {"mix_pct", 100},
                                 {"decay_s", 2}},
                                pulse(1)),
                        0.16);
  };
  EXPECT_LT(density(0), 0.4) << "single echoes";
  EXPECT_GT(density(50), density(0) + 0.1);
  EXPECT_GT(density(100), 0.8) << "as chance";
}

class EachSettingOfAResponse : public testing::Test {
 protected:
  // The direct sound, and half of it a tenth of a second later.
  EachSettingOfAResponse() {
    AudioBuffer response(1, 12000);
    response.channel(0)[1200] = 1;
    response.channel(0)[6000] = 0.5F;
    write_wav(file_, response, rate);
  }
  AudioBuffer heard(double start_ms) {
    ChainStep step =
        set("convolution",
            {{"start_ms", start_ms}, {"gain", 1}, {"mix_pct", 100}, {"pre_delay_ms", 0}});
    set_text(step, "response", file_.string());
    return through(step, pulse(1));
  }
  TempFolder folder_;
  std::filesystem::path file_ = folder_ / "two claps.wav";
};

TEST_F(EachSettingOfAResponse, IsHeardFromItsFirstSoundOrFromWhereItIsToStart) {
  const AudioBuffer all = heard(0);
  EXPECT_NEAR(all.channel(0)[4800], 1, 1e-3);
  EXPECT_NEAR(all.channel(0)[9600], 0.5, 1e-3);
  // Its first 60 ms are left out: the second clap comes 40 ms behind its beginning.
  const AudioBuffer late = heard(60);
  EXPECT_NEAR(late.channel(0)[4800], 0, 1e-3);
  EXPECT_NEAR(late.channel(0)[4800 + 1920], 0.5, 1e-3);
  // Silence before it is kept.
  EXPECT_NEAR(heard(-20).channel(0)[4800 + 960], 1, 1e-3);
}

}  // namespace
}  // namespace drevan::test::each_setting
