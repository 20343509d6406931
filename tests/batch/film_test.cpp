// SPDX-License-Identifier: GPL-3.0-or-later
// A reel's mix in its film, by the library and by the command line.
#include "batch/film.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "audio/error.h"
#include "support/full_disk.h"
#include "support/make_film.h"
#include "support/reels.h"
#include "support/steps.h"

namespace drevan {
namespace {

using testing::HasSubstr;

class RenderFilm : public testing::Test {
 protected:
  RenderFilm() {
    test::make_film(folder / "film.mkv", {.frames = 75});
    reel = test::reel_of(folder, {{"0", "Ines"}, {"1", "Boat", 2}}, 1.5);
    reel.name = "Skerry";
    reel.clips[1].place = ReelTime{0.7};
    reel.mix.chain.steps = {test::with("limiter", {{"ceiling_db", -20}})};
  }
  test::TempFolder folder;
  Reel reel;
  FindingStore store;
};

// A film that stands later in the reel gets the mix from there on, to the sample.
TEST_F(RenderFilm, AReelsOwnFilmBeginsWhereItStands) {
  reel.films = {{folder / "film.mkv", 0.5}};
  FilmExport how;
  EXPECT_EQ(film_of(reel, {}, how), folder / "film.mkv");
  EXPECT_EQ(how.mix_begins_s, 0.5);
  render_film(reel, folder / "film.mkv", folder / "new.mov", how, {}, store, {});
  BatchOptions options;
  options.folder = folder / "out";
  const AudioBuffer mix = test::read_all(render_mix(reel, options, {}, store, {}).files[0].output);
  const AudioBuffer got = test::read_all(folder / "new.mov");
  ASSERT_EQ(got.frames(), mix.frames() - 24000);
  for (size_t i = 0; i < got.channel(0).size(); ++i)
    ASSERT_EQ(got.channel(0)[i], mix.channel(0)[i + 24000]) << i;
  // No film and no source of the reel is written over.
  for (const char* name : {"film.mkv", "0.wav"}) {
    const auto before = test::bytes(folder / name);
    EXPECT_THROW(render_film(reel, folder / "film.mkv", folder / name, how, {}, store, {}), Error)
        << name;
    EXPECT_EQ(test::bytes(folder / name), before);
  }
  // Behind the mix, none, several: it is said.
  reel.films[0].place = ReelTime{60};
  film_of(reel, {}, how);
  EXPECT_THROW(render_film(reel, folder / "film.mkv", folder / "late.mov", how, {}, store, {}),
               Error);
  EXPECT_FALSE(std::filesystem::exists(folder / "late.mov"));
  reel.films.push_back({folder / "other.mkv", 90});
  EXPECT_THROW(film_of(reel, {}, how), Error);
  EXPECT_EQ(film_of(reel, folder / "none of them.mkv", how), folder / "none of them.mkv");
  reel.films.clear();
  EXPECT_THROW(film_of(reel, {}, how), Error);
}

TEST_F(RenderFilm, HoldsTheBitsOfTheMix) {
  BatchOptions options;
  options.folder = folder / "out";
  const auto mix = render_mix(reel, options, {}, store, {});
  const auto result = render_film(reel, folder / "film.mkv", folder / "new.mov", {}, {}, store, {});
  EXPECT_EQ(result.film.sound, FilmSound::pcm);
  const AudioBuffer want = test::read_all(mix.files[0].output);
  const AudioBuffer got = test::read_all(folder / "new.mov");
  ASSERT_EQ(got.channels(), want.channels());
  for (int c = 0; c < want.channels(); ++c)
    for (size_t i = 0; i < want.channel(c).size(); ++i)
      ASSERT_EQ(got.channel(c)[i], want.channel(c)[i]) << i;
  EXPECT_EQ(film_packets(folder / "new.mov", test::FilmStream::picture),
            film_packets(folder / "film.mkv", test::FilmStream::picture));
  EXPECT_TRUE(test::left_over(folder.path()).empty());
}

TEST_F(RenderFilm, TheCommandLineWritesTheSame) {
  save_reel(reel, folder / "skerry.reel");
  const auto ran =
      test::run(std::string(DREVAN_CLI) + " film --reel '" + (folder / "skerry.reel").string() +
                "' --film '" + (folder / "film.mkv").string() + "' --out '" +
                (folder / "by hand.mov").string() + "'");
  ASSERT_EQ(ran.code, 0) << ran.out;
  EXPECT_THAT(ran.out, HasSubstr("PCM, 24 bit"));
  render_film(reel, folder / "film.mkv", folder / "new.mov", {}, {}, store, {});
  EXPECT_EQ(film_packets(folder / "by hand.mov", test::FilmStream::sound),
            film_packets(folder / "new.mov", test::FilmStream::sound));
  const auto bad = test::run(
      std::string(DREVAN_CLI) + " film --reel '" + (folder / "skerry.reel").string() +
      "' --film '" + (folder / "0.wav").string() + "' --out '" + (folder / "x.mov").string() + "'");
  EXPECT_EQ(bad.code, 3);
  EXPECT_THAT(bad.out, HasSubstr("has no picture"));
}

TEST_F(RenderFilm, AFullDiskIsToldAndLeavesNothing) {
  try {
    const test::FullDisk full(650'000);
    render_film(reel, folder / "film.mkv", folder / "new.mov", {}, {}, store, {});
    ADD_FAILURE() << "there was room";
  } catch (const Error& e) {
    EXPECT_EQ(e.kind(), Error::Kind::output) << e.what();
  }
  EXPECT_FALSE(std::filesystem::exists(folder / "new.mov"));
  EXPECT_TRUE(test::left_over(folder.path()).empty());
}

}  // namespace
}  // namespace drevan
