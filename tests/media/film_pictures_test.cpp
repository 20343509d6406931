// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of a film, exact to the frame.
#include "media/film_pictures.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "audio/error.h"
#include "support/make_film.h"
#include "support/sounds.h"

namespace drevan {
namespace {

class FilmPicturesTest : public testing::Test {
 protected:
  test::TempFolder folder;
  std::filesystem::path film(const std::string& name, test::FilmOptions o = {}) {
    o.frames = 200;
    o.paint = test::numbered;
    test::make_film(folder / name, o);
    return folder / name;
  }
};

TEST_F(FilmPicturesTest, ComeInOrderWithTheirTimes) {
  for (const char* name : {"a.mkv", "a.mp4", "a.mov"}) {
    FilmPictures pictures(film(name), PixelForm::grey);
    for (int i = 0; i < 200; ++i) {
      const auto p = pictures.next();
      ASSERT_TRUE(p) << name << " " << i;
      ASSERT_EQ(test::number_of(*p), i) << name;
      ASSERT_NEAR(p->at_s, i / 25.0, 0.001) << name;
    }
    EXPECT_FALSE(pictures.next()) << name;
  }
}

// 64 x 48 pixels of 16:11 are seen 93 wide; ffprobe tells the same shape.
TEST_F(FilmPicturesTest, PixelsThatAreNotSquareAreSeenAsTheyAreMeant) {
  for (const char* name : {"a.mkv", "a.mp4", "a.mov"}) {
    test::FilmOptions o;
    o.pixel_wide = 16;
    o.pixel_high = 11;
    const auto file = film(name, o);
    const FilmInfo info = read_film_info(file);
    EXPECT_EQ(info.width, 93) << name;
    EXPECT_EQ(info.height, 48) << name;
    const auto told = test::run(
        "ffprobe -v error -select_streams v -show_entries "
        "stream=display_aspect_ratio -of csv=p=0 '" +
        file.string() + "'");
    EXPECT_EQ(told.out.substr(0, 5), "64:33") << name << ": " << told.out;
  }
}

TEST_F(FilmPicturesTest, ASeekFindsThePictureThatIsSeenThen) {
  for (const char* name : {"a.mkv", "a.mp4", "a.mov"})
    for (const double begins : {0.0, 1.4}) {
      test::FilmOptions o;
      o.begins_s = begins;
      FilmPictures pictures(film(name, o), PixelForm::grey);
      for (const int wanted : {150, 3, 199, 0, 12, 13, 77, 78, 11, 198}) {
        for (const double off : {0.0, 0.02, 0.039}) {
          pictures.seek(wanted / 25.0 + off);
          const auto p = pictures.next();
          ASSERT_TRUE(p);
          ASSERT_EQ(test::number_of(*p), wanted) << name << " " << begins << " " << off;
          // And on from there.
          if (wanted < 199) {
            const auto next = pictures.next();
            ASSERT_TRUE(next);
            ASSERT_EQ(test::number_of(*next), wanted + 1) << name;
          }
        }
      }
      pictures.seek(-3);
      EXPECT_EQ(test::number_of(*pictures.next()), 0);
      pictures.seek(1000);
      EXPECT_EQ(test::number_of(*pictures.next()), 199);
      EXPECT_FALSE(pictures.next());
    }
}

// Where the next picture comes late, the one before is seen meanwhile.
TEST_F(FilmPicturesTest, APictureStaysUntilTheNext) {
  test::FilmOptions o;
  o.pause_after = 50;
  FilmPictures pictures(film("uneven.mkv", o), PixelForm::grey);
  for (const auto& [s, wanted] : {std::pair{50 / 25.0, 50},
                                  {55 / 25.0, 50},
                                  {60.5 / 25.0, 50},
                                  {61 / 25.0, 51},
                                  {62.5 / 25.0, 52}}) {
    pictures.seek(s + 0.001);
    EXPECT_EQ(test::number_of(*pictures.next()), wanted) << s;
  }
}

TEST_F(FilmPicturesTest, AreBroughtToTheSizeThatIsWanted) {
  FilmPictures pictures(film("a.mkv"), PixelForm::rgb, 33, 17);
  const auto p = pictures.next();
  ASSERT_TRUE(p);
  EXPECT_EQ(p->width, 33);
  EXPECT_EQ(p->height, 17);
  EXPECT_EQ(p->pixels.size(), 33U * 17 * 3);
  EXPECT_EQ(pictures.rotation_deg(), 0);
}

// A telephone that was held upright writes its pictures lying, with the turn beside them (ISO/IEC 14496-12, the track
// header's matrix): what must be turned to the right to stand upright says so, and so to the left.
TEST_F(FilmPicturesTest, HowFarAPictureMustBeTurnedIsRead) {
  for (const int right : {0, 90, 180, 270}) {
    test::make_film(folder / "turned.mov", {.frames = 5, .turned_right_deg = right});
    FilmPictures pictures(folder / "turned.mov", PixelForm::grey, 64, 48);
    EXPECT_EQ(pictures.rotation_deg(), right);
  }
}

TEST_F(FilmPicturesTest, OneFrameAndBrokenFilms) {
  test::make_film(folder / "one.mkv", {.frames = 1, .paint = test::numbered});
  FilmPictures one(folder / "one.mkv", PixelForm::grey);
  one.seek(5);
  EXPECT_TRUE(one.next());
  EXPECT_FALSE(one.next());
  // Cut off in the middle, and with noise in its middle: what is whole is shown.
  const auto whole = test::bytes(film("a.mkv"));
  for (const bool noisy : {false, true}) {
    auto data = whole;
    if (noisy)
      for (size_t i = data.size() / 2; i < data.size() / 2 + 400; ++i)
        data[i] = static_cast<char>(i * 7);
    else
      data.resize(data.size() / 2);
    std::ofstream(folder / "b.mkv", std::ios::binary).write(data.data(), std::ssize(data));
    FilmPictures broken(folder / "b.mkv", PixelForm::grey);
    int count = 0;
    while (broken.next()) ++count;
    EXPECT_GT(count, noisy ? 150 : 60);
    EXPECT_LE(count, 200);
    broken.seek(1);
    EXPECT_TRUE(broken.next());
  }
  std::ofstream(folder / "words.mkv") << "words";
  EXPECT_THROW(FilmPictures(folder / "words.mkv"), Error);
}

}  // namespace
}  // namespace drevan
