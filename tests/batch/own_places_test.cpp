// SPDX-License-Identifier: GPL-3.0-or-later
// Several who stand in one room, each at a place of their own.
#include <gtest/gtest.h>

#include <cmath>

#include "batch/mix.h"
#include "reel/scene/scene_edits.h"
#include "reel/scene/sends.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using edits::Feeder;

class OwnPlaces : public testing::Test {
 protected:
  OwnPlaces() {
    reel = test::reel_of(t, {{"left", "Left"}, {"right", "Right"}}, 2);
    reel.name = "Room";
    reel.clips[1].place = ReelTime{3};
    reel = edits::add_space(reel, "Room", {{test::with("acoustics", {{"level", 1}})}}).next;
    room = reel.spaces[0].id();
    for (const ClipId clip : {ClipId{1}, ClipId{2}}) {
      reel = edits::set_send(reel, clip, room, 0).next;
      reel = edits::set_direct(reel, clip, false).next;
    }
  }
  AudioBuffer mix() {
    std::filesystem::remove_all(t / "mix");
    return test::read_all(render_sum(reel, t / "mix" / "mix.wav", store, never).path);
  }
  // How far `a` is from `b`, dB below it.
  static double apart_db(const AudioBuffer& a, const AudioBuffer& b) {
    double error = 0, power = 0;
    for (int c = 0; c < b.channels(); ++c)
      for (size_t i = 0; i < static_cast<size_t>(std::min(a.frames(), b.frames())); ++i) {
        error += std::pow(static_cast<double>(a.channel(c)[i] - b.channel(c)[i]), 2);
        power += std::pow(static_cast<double>(b.channel(c)[i]), 2);
      }
    return 10 * std::log10(error / power);
  }
  static double level_db(const AudioBuffer& x, int channel, double from_s, double to_s) {
    // Behind its end there is silence.
    const auto frames = static_cast<size_t>(x.frames());
    const auto from = std::min(frames, static_cast<size_t>(from_s * 48000)),
               to = std::min(frames, static_cast<size_t>(to_s * 48000));
    return from < to ? test::rms_db(x.channel(channel).subspan(from, to - from)) : -200;
  }
  void part(int which) {
    auto& step = reel.spaces[0].clip.chain.steps[0];
    step.settings.values[static_cast<size_t>(parameter_index(*step.type, "part"))] = which;
  }
  test::TempFolder t;
  Reel reel;
  SpaceId room;
  FindingStore store;
  CancelToken never;
};

// Without a room: a source at d sounds with 1/d; two crossed cardioids, 55 degrees off each, hear
// one at 70 degrees (1 + cos 15) / (1 + cos 125) apart, 13.3 dB.
TEST_F(OwnPlaces, EachIsHeardWhereItStands) {
  auto& step = reel.spaces[0].clip.chain.steps[0];
  step.settings.values[static_cast<size_t>(parameter_index(*step.type, "room_db"))] = -40;
  reel = edits::place_in_space(reel, ClipId{1}, room, SendPlace{-70, 0, 1.5}).next;
  reel = edits::place_in_space(reel, ClipId{2}, room, SendPlace{70, 0, 1.5}).next;
  const AudioBuffer y = mix();
  const double first = level_db(y, 0, 0.5, 1.8) - level_db(y, 1, 0.5, 1.8);
  const double second = level_db(y, 0, 3.5, 4.8) - level_db(y, 1, 3.5, 4.8);
  EXPECT_NEAR(first, 13.27, 0.3);
  EXPECT_NEAR(second, -13.27, 0.3);
  reel = edits::place_in_space(reel, ClipId{1}, room, SendPlace{-70, 0, 0.75}).next;
  const double louder = level_db(mix(), 0, 0.5, 1.8) - level_db(y, 0, 0.5, 1.8);
  EXPECT_NEAR(louder, 6.02, 0.3);
}

// Who stands where the space's own step has the source is heard as without a place.
TEST_F(OwnPlaces, TheCommonPlaceSoundsAsTheStepDoes) {
  const AudioBuffer plain = mix();
  const auto common = common_place(*placing_step(reel.spaces[0]));
  reel = edits::place_in_space(reel, ClipId{1}, room, common).next;
  const AudioBuffer placed = mix();
  ASSERT_EQ(placed.channels(), plain.channels());
  EXPECT_LT(apart_db(placed, plain), -90);
}

TEST_F(OwnPlaces, EarlyAndLateAreTheTwoHalvesOfTheRoom) {
  const AudioBuffer all = mix();
  part(1);
  const AudioBuffer early = mix();
  part(2);
  const AudioBuffer late = mix();
  double error = 0, power = 0, late_power = 0;
  for (int c = 0; c < 2; ++c)
    for (size_t i = 0;
         i < static_cast<size_t>(std::min({all.frames(), early.frames(), late.frames()})); ++i) {
      const double a = all.channel(c)[i];
      const double e = early.channel(c)[i], l = late.channel(c)[i];
      power += a * a;
      late_power += l * l;
      error += (a - e - l) * (a - e - l);
    }
  EXPECT_LT(10 * std::log10(error / power), -90);
  EXPECT_GT(10 * std::log10(late_power / power), -30);
  // Behind the last clip, which ends at 5 s, only what rings on is left.
  EXPECT_LT(level_db(early, 0, 5.15, 5.3), level_db(late, 0, 5.15, 5.3) - 20);
}

TEST_F(OwnPlaces, ALevelOverTimeFadesWhatIsFed) {
  for (const bool placed : {false, true}) {
    reel = edits::draw_send(reel, ClipId{1}, room, Curve{{{0, -40}, {1.9, 0}}}).next;
    if (placed) reel = edits::place_in_space(reel, ClipId{1}, room, SendPlace{0, 0, 1}).next;
    const AudioBuffer y = mix();
    // A straight line in dB: 21.05 dB a second.
    const double rise = level_db(y, 0, 1.35, 1.45) - level_db(y, 0, 0.85, 0.95);
    EXPECT_NEAR(rise, 10.5, 1.5) << placed;
  }
}

// What is drawn of a send counts the clip's time, also where the clip sounds before its place.
TEST_F(OwnPlaces, ALevelOverTimeComesWithTheClipThatRisesBeforeItsPlace) {
  reel.clips[1].chain.steps = {test::with("reverb", {{"decay_s", 1}, {"mix_pct", 60}}),
                               make_step("reverse")};
  reel.spaces[0].clip.chain.steps[0].on = false;
  settle_step_ids(reel);
  reel = edits::draw_send(reel, ClipId{2}, room, Curve{{{0, -40, CurveShape::hold}, {1, 0}}}).next;
  const AudioBuffer y = mix();
  EXPECT_GT(level_db(y, 0, 4.05, 4.2) - level_db(y, 0, 3.8, 3.95), 30);
  EXPECT_GT(level_db(y, 0, 2.8, 2.95), -120) << "it sounds before its place, at 3 s";
}

// Who goes away by a curve becomes quieter with the distance, 6.02 dB for twice of it where there is no
// room.
TEST_F(OwnPlaces, ADistanceOverTimeIsHeard) {
  auto& step = reel.spaces[0].clip.chain.steps[0];
  step.settings.values[static_cast<size_t>(parameter_index(*step.type, "room_db"))] = -40;
  SendPlace goes{0, 0, 1};
  goes.distance = Curve{{{0.9, 1}, {1.1, 4}}};
  reel = edits::place_in_space(reel, ClipId{1}, room, goes).next;
  const AudioBuffer gone = mix();
  reel = edits::place_in_space(reel, ClipId{1}, room, SendPlace{0, 0, 1}).next;
  const AudioBuffer stays = mix();
  EXPECT_NEAR(level_db(gone, 0, 0.3, 0.8) - level_db(stays, 0, 0.3, 0.8), 0, 0.3);
  EXPECT_NEAR(level_db(gone, 0, 1.3, 1.8) - level_db(stays, 0, 1.3, 1.8), -12.04, 0.5);
}

// Who stands above is heard as through a step whose source stands there.
TEST_F(OwnPlaces, HeightIsHeard) {
  const auto set = [&](const char* id, double value) {
    reel.spaces[0].clip.chain.steps[0].settings.values.at(
        static_cast<size_t>(parameter_index(*find_step("acoustics"), id))) = value;
  };
  set("room_db", -40);
  set("listener", 0);  // headphones
  const Reel level = reel;
  set("elevation_deg", 60);
  const AudioBuffer above = mix();
  reel = level;
  const AudioBuffer plain = mix();
  SendPlace high = common_place(*placing_step(reel.spaces[0]));
  high.elevation_deg = 60;
  for (const ClipId clip : {ClipId{1}, ClipId{2}})
    reel = edits::place_in_space(reel, clip, room, high).next;
  const AudioBuffer placed = mix();
  EXPECT_GT(apart_db(plain, above), -20);
  EXPECT_LT(apart_db(placed, above), -60);
}

TEST_F(OwnPlaces, AreKeptAndCutAndRefusedWhereThereAreNone) {
  SendPlace walks{10, 5, 3};
  walks.azimuth = Curve{{{0, -70}, {1, 70}}};
  walks.distance = Curve{{{0.5, 2}, {1, 4}}};
  reel = edits::place_in_space(reel, ClipId{1}, room, walks).next;
  reel = edits::draw_send(reel, ClipId{1}, room, Curve{{{0, -40}, {1, 0}}}).next;
  const std::string text = reel_to_text(reel, t.path());
  EXPECT_EQ(reel_from_text(text, t.path(), "x"), reel);
  const std::pair<std::string, std::string> changes[] = {
      {"\"azimuth_deg\": 10", "\"azimuth_deg\": 400"},
      {"\"azimuth_deg\": 10", "\"azimut_deg\": 10"},
      {"\"distance_m\": 3", "\"distance_m\": \"far\""},
      {"\"place\": {", "\"place\": [], \"was\": {"}};
  test::expect_refused(text, t.path(), changes);
  reel.spaces[0].clip.chain.steps[0].on = false;
  EXPECT_THROW(edits::place_in_space(reel, ClipId{1}, room, walks), Error);
  EXPECT_FALSE(has_own_places(reel, reel.spaces[0]));
  reel.spaces[0].clip.chain.steps[0].on = true;
  reel.clips[0].sends.clear();
  EXPECT_THROW(edits::place_in_space(reel, ClipId{1}, room, walks), Error);
  EXPECT_THROW(edits::place_in_space(reel, ClipId{1}, -77, walks), Error);
}

// A clip that gets a send of its own where its group's has a place stands where it stood.
TEST_F(OwnPlaces, AClipsOwnSendStandsWhereItsGroupsDid) {
  const GroupId group = reel.clips[0].group;
  reel = edits::set_send(reel, ClipId{1}, room, off_send_db).next;
  reel = edits::set_send(reel, group, room, -3).next;
  reel = edits::place_in_space(reel, group, room, SendPlace{-40, 5, 2}).next;
  Reel next = edits::set_send(reel, ClipId{1}, room, -6).next;
  const auto& sends = next.clips[0].sends;
  ASSERT_EQ(sends.size(), 1U);
  ASSERT_TRUE(sends[0].place);
  EXPECT_EQ(sends[0].place->azimuth_deg, -40);
  EXPECT_EQ(sends[0].place->distance_m, 2);
  EXPECT_EQ(sends[0].level_db, -6);
}

}  // namespace
}  // namespace drevan
