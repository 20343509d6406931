// SPDX-License-Identifier: GPL-3.0-or-later
// The tracker on the demo's actor, whose way is known from the program that drew him.
#include "engine/scene/film_track.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "../../demo/story.h"
#include "audio/error.h"
#include "support/extent.h"
#include "support/make_film.h"
#include "support/sounds.h"

namespace drevan {
namespace {

const std::filesystem::path film =
    std::filesystem::path(DREVAN_SOURCE_DIR) / "demo" / "skerry-light.mp4";

struct Errors {
  double median = 0, worst = 0;
};
// Pixels of 1280, from left to right.
Errors errors(const FilmTrack& track, double until_s) {
  std::vector<double> off;
  for (const auto& p : track.points)
    if (p.s <= until_s) off.push_back(std::abs(p.x * demo::film_width - demo::actor_at(p.s).x));
  std::ranges::sort(off);
  return {off[off.size() / 2], off.back()};
}

TEST(FilmTrack, FollowsTheActorUpTheStairsUntilHeLeaves) {
  const double from_s = 14;
  const demo::Point at = demo::actor_at(from_s);
  const auto track =
      follow_in_film(film, from_s, at.x / demo::film_width, at.y / demo::film_height, 23.9, {});
  ASSERT_GT(track.points.size(), 190U);
  const Errors e = errors(track, 22);
  std::printf("tracker, stairs: median %.1f px, worst %.1f px of 1280 (asked: median 12)\n",
              e.median, e.worst);
  EXPECT_LE(e.median, 12);
  ASSERT_TRUE(track.lost_s) << "he leaves the picture on the right";
  EXPECT_GT(*track.lost_s, 21.5);
}

TEST(FilmTrack, FollowsHimOnTheGalleryWhileABeamGoesByAndTellsTheCut) {
  const double from_s = 49.5;
  const demo::Point at = demo::actor_at(from_s);
  const auto track =
      follow_in_film(film, from_s, at.x / demo::film_width, at.y / demo::film_height, 56, {});
  const Errors e = errors(track, 56);
  std::printf("tracker, gallery: median %.1f px, worst %.1f px of 1280\n", e.median, e.worst);
  EXPECT_LE(e.median, 12);
  EXPECT_FALSE(track.lost_s);
  // He stands still when the film goes to the buoy: what is there then is not him.
  const demo::Point still = demo::actor_at(53.5);
  const auto over =
      follow_in_film(film, 53.5, still.x / demo::film_width, still.y / demo::film_height, 63, {});
  ASSERT_TRUE(over.lost_s);
  EXPECT_LE(*over.lost_s, 60.2);
}

// A ball that gathers speed until it goes farther from one picture to the next than is looked at from where it was: it
// is followed by where it must be, to each side and up and down.
TEST(FilmTrack, WhatGathersSpeedIsFollowedEachWay) {
  DREVAN_NOT_SANITIZED("large pictures; the demo's film goes through the same code");
  const test::TempFolder t;
  for (const bool down : {false, true}) {
    constexpr int frames = 19, size = 480;
    const auto way = [](int frame) {
      return 50 + 0.6 * frame * frame;
    };  // up to 43 a picture; 34 are looked at
    const auto ball = [&](int frame, int x, int y) {
      const double dx = x - (down ? 240 : way(frame)), dy = y - (down ? way(frame) : 240);
      const double r = std::hypot(dx, dy);
      return r < 22 ? 230 - 6 * r + 40 * std::sin(dx / 3)
                    : 40.0 + 10 * std::sin(x * 0.9) * std::sin(y * 0.7);
    };
    test::make_film(t / "ball.mkv",
                    {.frames = frames, .width = size, .height = size, .paint = ball});
    const double x = down ? 0.5 : 50.5 / size, y = down ? 50.5 / size : 0.5;
    const auto track = follow_in_film(t / "ball.mkv", 0, x, y, 18.5 / 25, {});
    ASSERT_GE(std::ssize(track.points), 18) << down;
    for (const auto& p : track.points) {
      const double there = way(static_cast<int>(std::lround(p.s * 25))) / size;
      EXPECT_NEAR(down ? p.y : p.x, there, 0.02) << down << " " << p.s;
    }
  }
}

TEST(FilmTrack, WhatCannotBeFollowedIsTold) {
  EXPECT_THROW(follow_in_film(film, 14, 1.5, 0.5, 20, {}), Error);
  EXPECT_THROW(follow_in_film("none.mp4", 0, 0.5, 0.5, 1, {}), Error);
  CancelToken now;
  now.cancel();
  EXPECT_THROW(follow_in_film(film, 14, 0.5, 0.5, 20, now), Cancelled);
  // Of a film of one picture there is one point.
  const test::TempFolder folder;
  test::FilmOptions one;
  one.frames = 1;
  test::make_film(folder / "one.mkv", one);
  EXPECT_EQ(follow_in_film(folder / "one.mkv", 0, 0.5, 0.5, 5, {}).points.size(), 1U);
}

// Of so small a film no patch has its whole size: nothing outside of the picture may be read, and
// what is too small is told.
TEST(FilmTrack, AFilmOfAFewPixelsIsFollowedWithinItselfOrTold) {
  const test::TempFolder t;
  int followed = 0;
  for (const auto& [wide, high] :
       {std::pair{8, 8}, {16, 8}, {8, 32}, {16, 16}, {24, 24}, {32, 16}, {40, 40}, {64, 48}}) {
    const auto file = t / (std::to_string(wide) + "x" + std::to_string(high) + ".mkv");
    test::make_film(file, {.frames = 25, .width = wide, .height = high});
    for (const double at : {0.01, 0.5, 0.99}) {
      try {
        const auto track = follow_in_film(file, 0, at, 1 - at, 0.9, {});
        EXPECT_FALSE(track.points.empty() && !track.lost_s);
        for (const auto& p : track.points)
          EXPECT_TRUE(p.x >= 0 && p.x <= 1 && p.y >= 0 && p.y <= 1) << p.x << " " << p.y;
        ++followed;
      } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find("too small"), std::string::npos) << e.what();
      }
    }
    EXPECT_THROW(follow_in_film(file, 0, 1.2, 0.5, 0.9, {}), Error);
  }
  EXPECT_GE(followed, 3);
}

}  // namespace
}  // namespace drevan
