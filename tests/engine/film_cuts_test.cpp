// SPDX-License-Identifier: GPL-3.0-or-later
// Cuts found in a made film of 60 cuts, with 20 events that are none.
#include "engine/scene/film_cuts.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "engine/scene/events.h"
#include "reel/edits/takes.h"
#include "support/extent.h"
#include "support/make_film.h"
#include "support/reels.h"
#include "support/sounds.h"

namespace drevan {
namespace {

constexpr int width = 128, height = 72;

enum class Decoy { none, flash, beam, pan };

constexpr int canvas_width = width + 200, canvas_height = height + 8;

struct Scene {
  int first = 0;  // frame
  Decoy decoy = Decoy::none;
  unsigned seed = 0;
  std::vector<float> canvas{};  // larger than what is seen of it
};

struct Blob {
  double x, y, size, light;
};

// A room or a landscape: soft blobs.
std::vector<float> canvas_of(const std::vector<Blob>& blobs) {
  std::vector<float> out;
  for (int y = 0; y < canvas_height; ++y)
    for (int x = 0; x < canvas_width; ++x) {
      double light = 90;
      for (const auto& b : blobs) {
        const double dx = (x - b.x) / b.size, dy = (y - b.y) / b.size;
        light += b.light * std::exp(-dx * dx - dy * dy);
      }
      out.push_back(static_cast<float>(light));
    }
  return out;
}

// Somebody walks through it, a hand shakes.
double painted(const Scene& scene, int frame, int x, int y) {
  const int t = frame - scene.first;
  const int pan = scene.decoy == Decoy::pan ? 5 * std::max(0, t - 8) / 2 : 0;
  const int px = std::clamp(x + pan + 2 + static_cast<int>(std::lround(0.8 * std::sin(0.4 * t))), 0,
                            canvas_width - 1);
  const int py = y + 2 + static_cast<int>(std::lround(0.8 * std::cos(0.3 * t)));
  double light = static_cast<double>(scene.canvas[static_cast<size_t>(py * canvas_width + px)]);
  const double walker = -10 + 2.2 * t + 20.0 * (scene.seed % 5);
  if (std::abs(x - walker) < 5 && y > 30 && y < 68) light -= 60;
  if (scene.decoy == Decoy::flash && t >= 14 && t < 14 + 1 + static_cast<int>(scene.seed % 3))
    light = 250 - 0.02 * light;
  if (scene.decoy == Decoy::beam) {
    const double at = -30 + 7.0 * (t - 6) + 0.4 * y, off = (x - at) / 14;
    if (std::abs(off) < 3) light += 150 * std::exp(-off * off);
  }
  return light;
}

std::vector<Scene> story(int cuts, int decoys) {
  std::mt19937 chance(7);
  const auto even = [&](double from, double to) {
    return from + (to - from) * static_cast<double>(chance() % 10000) / 10000;
  };
  std::vector<Scene> out;
  int frame = 0;
  for (int i = 0; i <= cuts; ++i) {
    Scene s{.first = frame, .seed = static_cast<unsigned>(chance())};
    if (i % 3 == 1 && i / 3 < decoys)
      s.decoy = std::array{Decoy::flash, Decoy::beam, Decoy::pan}[static_cast<size_t>(i / 3 % 3)];
    const double mood = even(-50, 60);
    std::vector<Blob> blobs;
    for (int k = 0; k < 20; ++k)
      blobs.push_back({even(-10, canvas_width), even(-5, 80), even(6, 30), even(-70, 90)});
    blobs.push_back({64, 36, 400, mood});
    s.canvas = canvas_of(blobs);
    out.push_back(s);
    frame += static_cast<int>(even(12, 45)) + (s.decoy == Decoy::none ? 0 : 24);
  }
  return out;
}

TEST(FilmCuts, AreFoundAndNothingElseIs) {
  DREVAN_NOT_SANITIZED("long sounds; shorter tests go through the same code");
  const test::TempFolder folder;
  const auto scenes = story(60, 20);
  ASSERT_EQ(std::ranges::count_if(scenes, [](const Scene& s) { return s.decoy != Decoy::none; }),
            20);
  const int frames = scenes.back().first + 30;
  size_t now = 0;
  test::make_film(
      folder / "story.mkv",
      {.frames = frames, .width = width, .height = height, .paint = [&](int frame, int x, int y) {
         while (now + 1 < scenes.size() && frame >= scenes[now + 1].first) ++now;
         return painted(scenes[now], frame, x, y);
       }});
  const auto found = find_film_cuts(folder / "story.mkv", {});
  int right = 0;
  for (size_t i = 1; i < scenes.size(); ++i) {
    const double at = scenes[i].first / 25.0;
    const bool there =
        std::ranges::any_of(found, [&](double f) { return std::abs(f - at) < 0.001; });
    right += there;
    if (!there) fmt::print("missed at {:.2f} s\n", at);
  }
  for (const double f : found)
    if (std::ranges::none_of(scenes,
                             [&](const Scene& s) { return std::abs(f - s.first / 25.0) < 0.001; }))
      fmt::print("none at {:.2f} s\n", f);
  const double precision = found.empty() ? 0 : right / static_cast<double>(found.size());
  const double recall = right / 60.0;
  const double f1 = 2 * precision * recall / std::max(1e-9, precision + recall);
  fmt::print("{} found, {} of 60 right: F1 {:.3f}\n", found.size(), right, f1);
  EXPECT_GE(f1, 0.95);
  CancelToken stop;
  stop.cancel();
  EXPECT_THROW(find_film_cuts(folder / "story.mkv", stop), Cancelled);
}

TEST(Events, AreHandedOverAsText) {
  const std::vector<FilmEvent> events{{0.5, "Cut 1"}, {3600, "Door, \"slam\" <loud> & again"}};
  EXPECT_EQ(events_as_csv(events, TimecodeRate{25, false, false}, "10:00:00:00"),
            "seconds,timecode,name\r\n0.500000,10:00:00:12,Cut 1\r\n"
            "3600.000000,11:00:00:00,\"Door, \"\"slam\"\" <loud> & again\"\r\n");
  EXPECT_EQ(events_as_csv({}, std::nullopt, ""), "seconds,timecode,name\r\n");
  EXPECT_EQ(events_as_webvtt(events),
            "WEBVTT\n\n00:00:00.500 --> 01:00:00.000\nCut 1\n\n"
            "01:00:00.000 --> 01:00:01.000\nDoor, \"slam\" &lt;loud&gt; &amp; again\n");
}

TEST(Events, OfAClipThatBeginsBeforeTheFilmWhatIsHeardInItIsTold) {
  const test::TempFolder t;
  Reel reel = test::reel_of(t, {{"early", "A"}, {"over", "A"}, {"within", "A"}, {"past", "A"}}, 4);
  reel.films = {{t / "film.mov", {10}}};
  const double places[] = {5.5, 8, 11, 30};
  for (size_t i = 0; i < 4; ++i) reel.clips[i].place = ReelTime{places[i]};
  const auto clips = clips_of_film(reel);
  const auto names = [&] {
    std::string out;
    for (const auto& c : clips) out += c.name + " ";
    return out;
  }();
  ASSERT_EQ(names, "over within past ") << "one has ended before the film begins";
  EXPECT_DOUBLE_EQ(clips[0].begin.s, 0) << "from the first picture on";
  EXPECT_NEAR(clips[0].end.s, 2, 1e-9);
  EXPECT_NEAR(clips[1].begin.s, 1, 1e-9);
}

TEST(Events, ClipsAreHandedOverAsText) {
  const Reel reel = load_reel(DREVAN_SOURCE_DIR "/demo/skerry-light-scene.reel");
  const auto clips = clips_of_film(reel);
  ASSERT_EQ(clips.size(), rendered_clips(reel).size());
  EXPECT_TRUE(std::ranges::is_sorted(clips, {}, &ListedClip::begin));
  const auto boat = std::ranges::find(clips, "boat-pass", &ListedClip::name);
  ASSERT_NE(boat, clips.end());
  EXPECT_NEAR(boat->begin.s, 36, 1e-9);
  EXPECT_NEAR(boat->end.s, 48, 1e-6) << "a moment of it is bound, its end is where it was";
  const std::vector<ListedClip> some{{1.5, 3, "Ines", "line 1", "Who's there, \"now\"?"},
                                     {3600, 3601, "Sea <far>", "waves", ""}};
  EXPECT_EQ(
      clips_as_csv(some, TimecodeRate{25, false, false}, "10:00:00:00"),
      "begin,end,begin_timecode,end_timecode,group,name,text\r\n"
      "1.500000,3.000000,10:00:01:12,10:00:03:00,Ines,line 1,\"Who's there, \"\"now\"\"?\"\r\n"
      "3600.000000,3601.000000,11:00:00:00,11:00:01:00,Sea <far>,waves,\r\n");
  EXPECT_EQ(clips_as_webvtt(some),
            "WEBVTT\n\n00:00:01.500 --> 00:00:03.000\n<v Ines>Who's there, \"now\"?\n\n"
            "01:00:00.000 --> 01:00:01.000\n<v Sea &lt;far&gt;>waves\n");
  const auto ran = test::run(std::string(DREVAN_CLI) + " events --clips --reel '" DREVAN_SOURCE_DIR
                                                       "/demo/skerry-light-scene.reel'");
  EXPECT_EQ(ran.code, 0);
  EXPECT_NE(ran.out.find("36.000000,48.000000,01:00:36:00,01:00:48:00,Effects,boat-pass,"),
            std::string::npos)
      << ran.out;
  EXPECT_EQ(test::run(std::string(DREVAN_CLI) + " events --clips --film x.mp4").code, 2);
}

// The command line finds the same, and writes what it is asked for.
TEST(Events, TheCommandLineFindsThem) {
  const test::TempFolder folder;
  const auto scenes = story(2, 0);
  test::make_film(folder / "a film.mov", {.frames = scenes.back().first + 30,
                                          .timecode = "10:00:00:00",
                                          .width = width,
                                          .height = height,
                                          .paint = [&](int frame, int x, int y) {
                                            const auto& s = frame >= scenes[2].first   ? scenes[2]
                                                            : frame >= scenes[1].first ? scenes[1]
                                                                                       : scenes[0];
                                            return painted(s, frame, x, y);
                                          }});
  const std::string call =
      std::string(DREVAN_CLI) + " events --film '" + (folder / "a film.mov").string() + "'";
  const auto printed = test::run(call);
  EXPECT_EQ(printed.code, 0);
  std::vector<FilmEvent> cuts;
  for (const double s : find_film_cuts(folder / "a film.mov", {}))
    cuts.push_back({{s}, fmt::format("Cut {}", cuts.size() + 1)});
  ASSERT_EQ(cuts.size(), 2);
  EXPECT_EQ(printed.out, events_as_csv(cuts, TimecodeRate{25, false, false}, "10:00:00:00"));
  EXPECT_EQ(test::run(call + " --out '" + (folder / "cuts.vtt").string() + "'").code, 0);
  const auto written = test::bytes(folder / "cuts.vtt");
  EXPECT_EQ(std::string(written.begin(), written.end()), events_as_webvtt(cuts));
  EXPECT_EQ(test::run(call + " --out '" + (folder / "cuts.doc").string() + "'").code, 2);
}

}  // namespace
}  // namespace drevan
