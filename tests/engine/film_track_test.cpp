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

}  // namespace
}  // namespace drevan
