// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures decoded ahead: the right one, soon, wherever one looks.
#include "media/film_ahead.h"

#include <gtest/gtest.h>

#include <chrono>
#include <thread>

#include "support/make_film.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using namespace std::chrono_literals;

class FilmAheadTest : public testing::Test {
 protected:
  std::filesystem::path film(int frames = 200) {
    test::FilmOptions o;
    o.frames = frames;
    o.paint = test::numbered;
    test::make_film(folder / "a.mkv", o);
    return folder / "a.mkv";
  }
  static int seen_at(FilmAhead& film, double s) {
    film.look_at(s);
    const auto until = std::chrono::steady_clock::now() + 20s;
    while (!film.exact() && std::chrono::steady_clock::now() < until)
      std::this_thread::sleep_for(200us);
    const auto picture = film.picture();
    return picture && film.exact() ? test::number_of(*picture, 3) : -1;
  }
  test::TempFolder folder;
};

TEST_F(FilmAheadTest, GoesOnPictureByPicture) {
  FilmAhead ahead(film(), 64, 48);
  for (int i = 0; i < 200; ++i) ASSERT_EQ(seen_at(ahead, i / 25.0 + 0.021), i);
  EXPECT_EQ(seen_at(ahead, 99), 199) << "behind the end the last one stays";
}

TEST_F(FilmAheadTest, JumpsAnywhere) {
  FilmAhead ahead(film(), 64, 48);
  for (const int to : {150, 3, 199, 0, 60, 61, 59, 10, 198})
    ASSERT_EQ(seen_at(ahead, to / 25.0), to);
  EXPECT_EQ(seen_at(ahead, -3), 0);
  // Asked for quickly, one after the other: the last one counts.
  for (int i = 0; i < 100; ++i) ahead.look_at(i % 2 == 0 ? 7.0 : 0.4);
  EXPECT_EQ(seen_at(ahead, 120 / 25.0), 120);
}

TEST_F(FilmAheadTest, AFilmThatIsGoneOrNoneSaysSo) {
  FilmAhead gone(folder / "none.mkv", 64, 48);
  Problem told;
  for (int i = 0; i < 5000 && told.empty(); ++i) {
    told = gone.take_error();
    std::this_thread::sleep_for(1ms);
  }
  EXPECT_NE(told.text.find("none.mkv"), std::string::npos);
  EXPECT_EQ(told.cause, Cause::missing);
  EXPECT_FALSE(gone.picture());
  EXPECT_TRUE(gone.take_error().empty());
  FilmAhead one(film(1), 64, 48);
  EXPECT_EQ(seen_at(one, 5), 0) << "a film of one picture";
}

}  // namespace
}  // namespace drevan
