// SPDX-License-Identifier: GPL-3.0-or-later
// The acoustics step against what is published of rooms, air, ears and motion.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <fstream>
#include <numbers>
#include <set>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/room_response.h"
#include "steps/places/acoustics_places.h"
#include "steps/picture_spec.h"
#include "support/decay.h"
#include "support/rate.h"
#include "support/steps.h"

namespace drevan {
namespace {

using at_48k::rate;

// A room whose six sides are alike in every octave.
Room even_room(Place size, double absorption, double scatter) {
  Room room;
  room.size = size;
  for (auto& side : room.absorption) side.fill(absorption);
  room.scatter = scatter;
  return room;
}
// Three rooms that are diffuse: no side much longer than another, absorption even on all sides,
// walls that scatter.
const Room rooms[] = {even_room({6.3, 7.9, 5.1}, 0.15, 0.5), even_room({11, 14, 8.3}, 0.2, 0.5),
                      even_room({23, 31, 17}, 0.25, 0.6)};

RoomScene scene_of(const Room& room, Place listener, Place source) {
  RoomScene scene;
  scene.room = room;
  scene.listener = listener;
  scene.sources[0] = source;
  scene.kind = ListenerKind::mono;
  scene.room_bright.fill(1);
  return scene;
}

struct Heard {
  std::vector<float> all, direct;  // from the lead on
};
Heard heard(const RoomScene& scene, double seconds) {
  RoomResponse response(rate, nullptr, seconds);
  response.set(scene);
  const auto n = static_cast<size_t>(seconds * rate);
  std::vector<float> left(n), right(n), alone(n), other(n);
  response.make_late(left, right);
  response.add_early(0, left, right);
  RoomScene open = scene;
  open.room_gain = 0;
  open.order = 0;
  response.set(open);
  response.add_early(0, alone, other);
  return {left, alone};
}
double energy(std::span<const float> x) {
  double sum = 0;
  for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
  return sum;
}
// The decay of every octave, mean of ten positions, within 5 % of Eyring's.
TEST(AcousticsStandard, EveryOctaveDecaysAsEyringSays) {
  for (const Room& room : rooms) {
    std::array<double, octave_count> sums{};
    for (int p = 0; p < 10; ++p) {
      const auto at = [&](double a, double b, double c) {
        return Place{room.size.x * (0.2 + 0.6 * std::fmod(a * (p + 1), 1)),
                     room.size.y * (0.2 + 0.6 * std::fmod(b * (p + 1), 1)),
                     room.size.z * (0.2 + 0.6 * std::fmod(c * (p + 1), 1))};
      };
      const auto x = heard(scene_of(room, at(0.37, 0.71, 0.13), at(0.59, 0.23, 0.83)), 4).all;
      for (size_t b = 1; b < octave_count - 1; ++b)
        sums[b] += test::decay_s(test::octave(x, octave_hz[b])) / 10;
    }
    for (size_t b = 1; b < octave_count - 1; ++b) {
      EXPECT_GT(eyring_s(room, b), 0.5);
      EXPECT_NEAR(sums[b] / eyring_s(room, b), 1, 0.05)
          << octave_hz[b] << " Hz, " << room.volume() << " m3";
    }
  }
}

// The formula itself, by hand: 10 x 10 x 10 m, a tenth absorbed: 0.1611 * 1000 / (600 * 0.10536).
TEST(AcousticsStandard, EyringAndTheAir) {
  Room room = even_room({10, 10, 10}, 0.1, 0);
  EXPECT_NEAR(eyring_s(room, 0), 2.548, 0.02) << "the air takes nothing at 63 Hz";
  // ISO 9613-2:1996, table 2, dB per km at 20 degrees and 70 %, as printed (to 0.1 dB).
  constexpr std::pair<double, double> table[] = {{63, 0.1},    {125, 0.3},  {250, 1.1},
                                                 {500, 2.8},   {1000, 5.0}, {2000, 9.0},
                                                 {4000, 22.9}, {8000, 76.6}};
  for (const auto& [hz, db] : table)
    EXPECT_NEAR(1000 * air_loss_db_m(hz, 70), db, 0.02 * db + 0.05) << hz;
}

// As printed: the critical distance is 0.057 sqrt(V / T) (H. Kuttruff, "Room acoustics"), and the
// room's sound at 1 m is 312 T / V of the direct (M. Barron, L.-J. Lee, JASA 84, 1988: 31200 T / V
// where the direct sound is 100 / r^2).
TEST(AcousticsStandard, CriticalDistanceAndTheRoomsLoudnessAreAsPrinted) {
  for (const Room& room : rooms)
    for (const size_t octave : {2UL, 4UL}) {
      const double t = eyring_s(room, octave), v = room.volume();
      EXPECT_NEAR(critical_m(room, octave) / (0.057 * std::sqrt(v / t)), 1, 0.02) << v;
      double sum = 0;
      for (double s = 0.0005; s < 6 * t; s += 0.001) sum += diffuse_energy(room, octave, s) * 0.001;
      EXPECT_NEAR(sum / (312 * t / v), 1, 0.02) << v;
    }
}

// Six walls, six reflections, each where and as strong as its image says.
TEST(AcousticsStandard, TheFirstReflectionsAreWhereGeometryPutsThem) {
  const Room room = even_room({7.3, 9.1, 4.2}, 0.19, 0);
  const Place listener{2.5, 3.3, 1.6}, source{4.4, 6.2, 1.9};
  RoomScene scene = scene_of(room, listener, source);
  scene.order = 1;
  RoomResponse response(rate, nullptr, 1);
  response.set(scene);
  std::vector<float> x(4096), other(4096);
  response.add_early(0, x, other);
  const double first = (source - listener).length();
  for (size_t wall = 0; wall < 6; ++wall) {
    Place image = source;
    double* axis = wall < 2 ? &image.x : wall < 4 ? &image.y : &image.z;
    const double size = wall < 2 ? room.size.x : wall < 4 ? room.size.y : room.size.z;
    *axis = wall % 2 == 0 ? -*axis : 2 * size - *axis;
    const double r = (image - listener).length();
    const double at = response.lead() + (r - first) / sound_m_s * rate;
    const auto near = static_cast<size_t>(std::lround(at));
    size_t top = near;
    for (size_t i = near - 2; i <= near + 2; ++i)
      if (x[i] > x[top]) top = i;
    EXPECT_NEAR(static_cast<double>(top), at, 0.8) << "wall " << wall;
    // Energy round it: that of the whole pulse.
    const double wanted = std::sqrt(1 - 0.19) / r;
    double sum = 0;
    for (size_t i = near - 6; i <= near + 6; ++i) sum += static_cast<double>(x[i]);
    EXPECT_NEAR(sum / wanted, 1, 0.06) << "wall " << wall;
  }
}

// Direct sound against the room at half, once and twice the critical distance: 6, 0 and -6 dB, and
// what the room loses on the way (Barron and Lee, see below: exp(-0.04 r / T)).
TEST(AcousticsStandard, DirectToReverberantIsThatOfTheDiffuseField) {
  for (const Room& room : rooms)
    for (const double times : {0.5, 1.0, 2.0}) {
      const double r = times * critical_m(room, 4);
      const Place middle = room.size * 0.5, way{0.6, 0.7, 0.39};
      double db = 0;
      for (const double turn : {-1.0, 1.0}) {
        const auto h = heard(scene_of(room, middle - way * (turn * r / 2 / way.length()),
                                      middle + way * (turn * r / 2 / way.length())),
                             4);
        const double direct = energy(test::octave(h.direct, 1000));
        db += power_to_db(direct / (energy(test::octave(h.all, 1000)) - direct)) / 2;
      }
      const double less = 0.04 * r / eyring_s(room, 4) * 10 * std::log10(std::numbers::e);
      EXPECT_NEAR(db, -20 * std::log10(times) + less, 1.0) << room.volume() << " m3, " << times;
    }
}

// M. Barron, L.-J. Lee, "Energy relations in concert auditoriums I", JASA 84, 1988: clarity of the
// first 50 ms by the revised theory.
TEST(AcousticsStandard, ClarityIsThatOfBarronsRevisedTheory) {
  for (const Room& room : rooms)
    for (const double share : {0.25, 0.4}) {
      const Place listener = room.size * 0.4;
      const Place source = listener + Place{share * room.size.x, share * room.size.y, 0.4};
      const double r = (source - listener).length(), t = eyring_s(room, 4);
      const auto x = test::octave(heard(scene_of(room, listener, source), 4).all, 1000);
      const auto split = static_cast<size_t>(std::ceil(0.0015 * rate) + 0.05 * rate);
      const double c50 =
          power_to_db(energy(std::span(x).first(split)) / energy(std::span(x).subspan(split)));
      const double field = 31200 * t / room.volume() * std::exp(-0.04 * r / t);
      const double late = field * std::exp(-0.69 / t);
      EXPECT_NEAR(c50, power_to_db((100 / (r * r) + field - late) / late), 1.5)
          << room.volume() << " m3, " << r << " m";
    }
}

// J. S. Abel, P. Huang, "A simple, robust measure of reverberation echo density", AES 121, 2006:
// share of samples beyond the deviation, against that of noise, 0.9 after the root of the volume in
// milliseconds.
TEST(AcousticsStandard, EchoesAreDenseInTime) {
  for (const Room& room : rooms) {
    const Place listener = room.size * 0.35, source = room.size * 0.6;
    const auto x = heard(scene_of(room, listener, source), 2).all;
    const auto middle = static_cast<size_t>((std::sqrt(room.volume()) + 1.5) / 1000 * rate);
    const auto window = std::span(x).subspan(middle - 480, 960);
    const double deviation = std::sqrt(energy(window) / 960);
    const auto beyond = std::ranges::count_if(
        window, [&](float v) { return std::abs(static_cast<double>(v)) > deviation; });
    EXPECT_GT(static_cast<double>(beyond) / 960 / 0.3173, 0.9) << room.volume() << " m3";
  }
}

// --- the step ---

ChainStep in_the_open(std::initializer_list<std::pair<std::string_view, double>> values) {
  ChainStep step = make_step("acoustics");
  const auto put = [&](std::string_view id, double value) {
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, id))] = value;
  };
  const auto open = static_cast<double>(surface_materials().size() - 1);
  for (const char* side : {"floor", "ceiling", "front", "back", "left", "right"}) put(side, open);
  for (const char* size : {"width_m", "length_m"}) put(size, 400);
  put("height_m", 100);
  put("stand_y_pct", 50);
  put("furniture_pct", 0);
  put("radiates", 0);
  put("listener", 3);
  for (const auto& [id, value] : values) put(id, value);
  return step;
}

// In the open nothing but distance: 6.02 dB for each doubling, and the air.
TEST(AcousticsStandard, TwiceAsFarIsSixDecibelsLess) {
  const auto level = [](double metres) {
    const auto step = in_the_open({{"distance_m", metres}});
    AudioBuffer x = test::sine(500, 0.1, 1, rate, 2);
    test::run_step(step, x);
    return test::rms_db(x.channel(0).subspan(24000, 20000));
  };
  const double at_one = level(1);
  for (const double r : {2.0, 4.0, 8.0, 16.0, 32.0})
    EXPECT_NEAR(level(r) - at_one, -20 * std::log10(r) - air_loss_db_m(500) * (r - 1), 0.1) << r;
}

// Doppler: f c / (c - v) (any textbook), by the phase of a tone over half a second.
TEST(AcousticsStandard, WhatMovesChangesItsPitch) {
  for (const double pace : {5.0, -20.0, 30.0}) {
    const auto step =
        in_the_open({{"distance_m", 100}, {"path", 8}, {"pace_m_s", pace}, {"travel", 1}});
    AudioBuffer x = test::sine(1000, 0.5, 3, rate);
    test::run_step(step, x);
    const double wanted = 1000 * sound_m_s / (sound_m_s - pace);
    const auto phase = [&](size_t from) {
      std::complex<double> sum = 0;
      for (size_t i = 0; i < 2400; ++i)
        sum +=
            static_cast<double>(x.channel(0)[from + i]) *
            std::polar(1.0, -2 * std::numbers::pi * wanted * static_cast<double>(from + i) / rate);
      return std::arg(sum);
    };
    // Drift against the wanted pitch over 20 ms steps.
    double drift = 0;
    for (size_t k = 0; k < 20; ++k) {
      const double step_phase = phase(96000 + (k + 1) * 960) - phase(96000 + k * 960);
      drift += std::remainder(step_phase, 2 * std::numbers::pi);
    }
    const double off_hz = drift / (2 * std::numbers::pi) / (20 * 960 / rate);
    EXPECT_LT(std::abs(off_hz) / wanted, 0.001) << pace << " m/s";
  }
}

double onset(std::span<const float> x) {
  float peak = 0;
  for (const float v : x) peak = std::max(peak, std::abs(v));
  for (size_t i = 1; i < x.size(); ++i)
    if (std::abs(x[i]) >= 0.1F * peak)
      return static_cast<double>(i) - static_cast<double>((std::abs(x[i]) - 0.1F * peak) /
                                                          (std::abs(x[i]) - std::abs(x[i - 1])));
  return 0;
}
AudioBuffer pulse_from(double azimuth, double at_rate = rate) {
  const auto step = in_the_open(
      {{"distance_m", 2}, {"listener", 0}, {"azimuth_deg", azimuth}, {"spread_deg", 0}});
  AudioBuffer x(2, static_cast<Samples>(at_rate / 4));
  // In the middle, so that nothing is cut.
  x.channel(0)[4000] = x.channel(1)[4000] = 0.5F;
  test::run_step(step, x, at_rate);
  return x;
}

// R. S. Woodworth, "Experimental psychology", 1938: a / c * (angle + sin(angle)), a = 87.5 mm.
TEST(AcousticsStandard, BothEarsHearItInTime) {
  double last_level = -1;
  for (double deg = 0; deg <= 90; deg += 15) {
    auto x = pulse_from(deg);
    const double late = (onset(x.channel(0)) - onset(x.channel(1))) / rate;
    const double a = deg * std::numbers::pi / 180;
    EXPECT_NEAR(late * 1e6, 0.0875 / sound_m_s * (a + std::sin(a)) * 1e6, 60) << deg;
    // On the right it is louder on the right, and more so the farther it is (to 60 degrees, where
    // the far ear's bright spot begins).
    const double level = test::rms_db(x.channel(1)) - test::rms_db(x.channel(0));
    if (deg > 0 && deg <= 60) {
      EXPECT_GT(level, last_level) << deg;
    }
    last_level = level;
    auto y = pulse_from(-deg);
    EXPECT_NEAR(test::rms_db(y.channel(0)) - test::rms_db(y.channel(1)), level, 1.0) << "mirrored";
  }
}

// Carried round in 1 degree steps while it plays: no corner sharper than those of standing sound.
TEST(AcousticsStandard, ASourceThatIsCarriedRoundDoesNotClick) {
  const auto sharpest = [](bool carried) {
    ChainStep step = make_step("acoustics");
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, "listener"))] = 0;
    const int azimuth = parameter_index(*step.type, "azimuth_deg");
    float most = 0;
    for (const double start : {0.0, 90.0, 180.0, 270.0}) {
      step.settings.values[static_cast<size_t>(azimuth)] = start - 180;
      const auto p = make_processor(*step.type, step.settings, {}, {rate, 2, 480});
      AudioBuffer x = test::sine(440, 0.3, 1, rate, 2);
      for (Samples at = 0; at + 480 <= x.frames(); at += 480) {
        if (carried) p->set(azimuth, std::min(180.0, start - 180 + static_cast<double>(at / 480)));
        p->process(x.block(at, 480));
      }
      const auto left = x.channel(0).subspan(9600);
      for (size_t i = 2; i < left.size(); ++i)
        most = std::max(most, std::abs(left[i] - 2 * left[i - 1] + left[i - 2]));
    }
    return most;
  };
  EXPECT_LT(sharpest(true), 1.5F * sharpest(false));
}

// Things that answer outdoors do so long after the direct sound, at any distance there is one.
TEST(AcousticsStandard, EchoesOutdoorsComeLate) {
  ChainStep step = make_step("acoustics");
  for (const auto& p : acoustic_places())
    if (p.name == "Wood") step.settings = settings_of(*step.type, p);
  AudioBuffer x(2, 48000);
  x.channel(0)[0] = x.channel(1)[0] = 1;
  test::run_step(step, x);
  const auto left = x.channel(0);
  const double direct = energy(left.first(480));
  EXPECT_GT(energy(left.subspan(4800, 14400)), 1e-5 * direct) << "100 to 400 ms";
  EXPECT_LT(energy(left.subspan(28800)), 1e-9 * direct) << "and then nothing";
}

// What comes first is in step with the picture: to the sample, wherever it is.
TEST(AcousticsStandard, TheDirectSoundIsWhereItWas) {
  for (const double metres : {0.5, 3.0, 40.0}) {
    const auto step = in_the_open({{"distance_m", metres}});
    AudioBuffer x(2, 24000);
    x.channel(0)[5000] = 1;
    test::run_step(step, x);
    size_t top = 0;
    for (size_t i = 0; i < 24000; ++i)
      if (std::abs(x.channel(0)[i]) > std::abs(x.channel(0)[top])) top = i;
    EXPECT_EQ(top, 5000U) << metres;
  }
}

TEST(Acoustics, ThereAreAtLeastThirtySixPlacesOfNineKinds) {
  std::set<std::string_view> kinds, names;
  for (const auto& p : acoustic_places()) {
    kinds.insert(p.kind);
    names.insert(p.name);
  }
  EXPECT_GE(names.size(), 36U);
  EXPECT_EQ(kinds.size(), 9U);
}

// Ears that are none: told, and the standard head hears instead.
TEST(Acoustics, AFileThatHoldsNoEarsIsToldAndHarmless) {
  const test::TempFolder folder;
  const auto file = folder / "no ears at all.sofa";
  std::ofstream(file) << "words, no ears";
  EXPECT_THAT(Ears::fault(file.string()), testing::HasSubstr("is no SOFA file"));
  EXPECT_THAT(Ears::fault((folder / "gone.sofa").string()), testing::HasSubstr("is no SOFA file"));
  try {
    Ears::load(file, rate);
    FAIL() << "no ears were read";
  } catch (const Error& e) {
    EXPECT_THAT(e.what(), testing::HasSubstr(file.string()));
  }
  ChainStep step = in_the_open({{"listener", 0}});
  AudioBuffer x = test::sine(500, 0.1, 0.5, rate, 2), y = test::sine(500, 0.1, 0.5, rate, 2);
  test::run_step(step, x);
  step.settings.texts[0] = file.string();
  test::run_step(step, y);
  EXPECT_EQ(test::rms(x.channel(0)), test::rms(y.channel(0)));
}

// Walls keep the source inside, and the picture says so.
TEST(Acoustics, ASourceOutsideTheWallsStandsAtTheWall) {
  const auto& spec = std::get<PlanSpec>(spec_of(find_step("acoustics")->picture));
  const auto inside = test::with("acoustics", {{"distance_m", 1}});
  EXPECT_FALSE(spec.view(inside.settings, 0).held_back);
  const auto outside = test::with("acoustics", {{"distance_m", 50}, {"azimuth_deg", 90}});
  const PlanView v = spec.view(outside.settings, 0);
  EXPECT_TRUE(v.held_back);
  EXPECT_LT(v.source.x, v.size.x);
  EXPECT_GT(v.source.x, v.size.x - 0.5);
}

}  // namespace
}  // namespace drevan
