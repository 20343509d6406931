// The tracker on the demo's actor, whose way is known from the program that drew him.
#include "engine/film_track.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "../../demo/story.h"
#include "audio/error.h"
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
