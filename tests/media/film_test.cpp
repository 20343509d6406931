// SPDX-License-Identifier: GPL-3.0-or-later
// A film with another sound: what is not the sound stays as it is, and the sound is where it
// belongs.
#include "media/film_file.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "audio/error.h"
#include "media/reader.h"
#include "support/make_film.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using test::FilmStream;
using testing::HasSubstr;
using testing::Not;

class FilmTest : public testing::Test {
 protected:
  std::filesystem::path film(const char* name, const test::FilmOptions& options) {
    const auto file = folder / name;
    test::make_film(file, options);
    return file;
  }
  std::filesystem::path sound(double seconds, int channels = 2) {
    AudioBuffer x = test::noise(0.1, seconds, 11, 48000, channels);
    const auto file = folder / "mix.wav";
    test::write_wav(file, x, 48000, SampleType::int24);
    return file;
  }
  WrittenFilm write(const std::filesystem::path& film, const std::filesystem::path& mix,
                    const std::string& out, const FilmExport& how = {}) {
    return write_film(film, mix, folder / out, how, {});
  }
  std::string fault(const std::filesystem::path& film, const std::filesystem::path& mix,
                    const std::string& out, const FilmExport& how = {}) {
    try {
      write(film, mix, out, how);
    } catch (const Error& e) {
      EXPECT_TRUE(test::left_over(folder.path()).empty());
      return e.what();
    }
    return {};
  }

  test::TempFolder folder;
};

// By how many frames `b` comes later than `a`.
int lateness(std::span<const float> a, std::span<const float> b) {
  int best = 0;
  double most = -1;
  for (int shift = -3000; shift <= 3000; ++shift) {
    double sum = 0;
    for (int i = 20000; i < 28000; ++i)
      if (i + shift < static_cast<int>(b.size()))
        sum += static_cast<double>(a[static_cast<size_t>(i)]) *
               static_cast<double>(b[static_cast<size_t>(i + shift)]);
    if (sum > most) most = sum, best = shift;
  }
  return best;
}

TEST_F(FilmTest, TheInfoIsThatOfTheFile) {
  const auto info =
      read_film_info(film("a film.mkv", {.sound_s = 1, .subtitles = true, .chapters = true}));
  EXPECT_EQ(info.width, 64);
  EXPECT_EQ(info.height, 48);
  EXPECT_NEAR(info.frames_per_s, 25, 1e-6);
  EXPECT_NEAR(info.seconds, 2, 0.05);
  EXPECT_EQ(info.sounds, 1);
  EXPECT_EQ(info.subtitles, 1);
  EXPECT_EQ(info.chapters, 2);
  EXPECT_EQ(read_film_info(film("b.mov", {.timecode = "10:00:00:00"})).timecode, "10:00:00:00");
}

TEST_F(FilmTest, PicturesSubtitlesAndChaptersAreCopiedAsTheyAre) {
  const auto plain = film("plain.mkv", {.frames = 75, .sound_s = 3});
  const auto mix = sound(3);
  const auto shown = film_packets(plain, FilmStream::picture);
  ASSERT_EQ(shown.size(), 75);
  for (const char* out : {"out.mkv", "out.mov", "out.mp4"}) {
    write(plain, mix, out);
    const auto now = film_packets(folder / out, FilmStream::picture);
    EXPECT_EQ(now, shown) << out;
    for (size_t i = 0; i < std::min(now.size(), shown.size()); ++i)
      ASSERT_NEAR(now[i].pts_s, shown[i].pts_s, 0.001) << out << " " << i;
    EXPECT_EQ(read_film_info(folder / out).sounds, 1) << out;
  }
  const auto rich = film("rich.mkv", {.subtitles = true, .chapters = true});
  write(rich, mix, "rich too.mkv");
  EXPECT_EQ(film_packets(folder / "rich too.mkv", FilmStream::subtitle),
            film_packets(rich, FilmStream::subtitle));
  EXPECT_EQ(read_film_info(folder / "rich too.mkv").chapters, 2);
}

// Between MKV and MOV words change their form, and come back as they were.
TEST_F(FilmTest, SubtitlesChangeTheirContainer) {
  const auto rich = film("rich.mkv", {.subtitles = true, .chapters = true});
  const auto mix = sound(2);
  write(rich, mix, "there.mov");
  EXPECT_EQ(read_film_info(folder / "there.mov").subtitles, 1);
  EXPECT_GE(read_film_info(folder / "there.mov").chapters, 2);
  write(folder / "there.mov", mix, "back.mkv");
  const auto words = film_packets(rich, FilmStream::subtitle);
  auto back = film_packets(folder / "back.mkv", FilmStream::subtitle);
  // MOV has a line without words in each pause.
  std::erase_if(back, [](const auto& p) { return p.data.empty(); });
  ASSERT_EQ(back.size(), words.size());
  for (size_t i = 0; i < words.size(); ++i) {
    EXPECT_EQ(back[i].data, words[i].data);
    EXPECT_NEAR(back[i].pts_s, words[i].pts_s, 0.002);
  }
}

TEST_F(FilmTest, PcmIsExactToTheSample) {
  const auto plain = film("plain.mov", {.frames = 50});
  for (const int channels : {1, 2, 6}) {
    const auto mix = sound(2, channels);
    for (const char* out : {"out.mov", "out.mkv"}) {
      EXPECT_EQ(write(plain, mix, out).sound, FilmSound::pcm);
      const AudioBuffer want = test::read_all(mix), got = test::read_all(folder / out);
      ASSERT_EQ(got.channels(), channels);
      ASSERT_GE(got.frames(), want.frames());
      for (int c = 0; c < channels; ++c)
        for (size_t i = 0; i < want.channel(c).size(); ++i)
          ASSERT_EQ(got.channel(c)[i], want.channel(c)[i]) << out << " " << c << " " << i;
    }
  }
}

// "within 1 ms after decoding", as the issue asks.
TEST_F(FilmTest, AacAndOpusComeInTime) {
  const auto plain = film("plain.mkv", {.frames = 50});
  const auto mix = sound(2);
  for (const auto& [out, kind] : {std::pair{"a.mp4", FilmSound::aac},
                                  {"b.mkv", FilmSound::aac},
                                  {"c.mkv", FilmSound::opus},
                                  {"d.mp4", FilmSound::opus},
                                  {"e.mov", FilmSound::aac}}) {
    write(plain, mix, out, {.sound = kind});
    const AudioBuffer want = test::read_all(mix), got = test::read_all(folder / out);
    // Against the first picture: MKV moves all streams by what the encoder puts before.
    const double late_s = lateness(want.channel(0), got.channel(0)) / 48000.0 +
                          film_stream_begins_s(folder / out, FilmStream::sound) -
                          film_stream_begins_s(folder / out, FilmStream::picture);
    EXPECT_LE(std::abs(late_s), 0.001) << out;
  }
}

TEST_F(FilmTest, TheSoundBeginsWithTheFirstPicture) {
  const auto late = film("late.mkv", {.begins_s = 1.4});
  write(late, sound(2), "out.mkv");
  EXPECT_NEAR(film_stream_begins_s(folder / "out.mkv", FilmStream::sound),
              film_stream_begins_s(folder / "out.mkv", FilmStream::picture), 0.002);
  EXPECT_NEAR(film_stream_begins_s(folder / "out.mkv", FilmStream::picture), 1.4, 0.002);
}

TEST_F(FilmTest, ALongMixEndsWithThePictureAndAShortOneBefore) {
  const auto plain = film("plain.mkv", {.frames = 50});
  EXPECT_NEAR(write(plain, sound(5), "long.mkv").cut_off_s, 3, 0.1);
  EXPECT_NEAR(static_cast<double>(test::read_all(folder / "long.mkv").frames()) / 48000, 2, 0.1);
  EXPECT_EQ(write(plain, sound(0.7), "short.mkv").cut_off_s, 0);
  EXPECT_EQ(film_packets(folder / "short.mkv", FilmStream::picture).size(), 50);
}

TEST_F(FilmTest, TheOldSoundStaysBehindTheNewOneWhereItIsKept) {
  const auto loud = film("loud.mkv", {.sound_s = 2});
  write(loud, sound(2), "both.mkv", {.sound = {}, .keeps_sound = true});
  EXPECT_EQ(read_film_info(folder / "both.mkv").sounds, 2);
  EXPECT_EQ(film_packets(folder / "both.mkv", FilmStream::sound, 1),
            film_packets(loud, FilmStream::sound));
  // The new one is the one that is played.
  EXPECT_EQ(test::read_all(folder / "both.mkv").channels(), 2);
}

// A transport stream may bring a stream that its beginning did not know.
TEST_F(FilmTest, AStreamThatComesLaterIsNoHarm) {
  film("a.mkv", {.frames = 50, .sound_s = 2});
  const auto made = test::run("cd " + test::quoted(folder.path()) +
                              " && ffmpeg -v error -y -i a.mkv -c:v copy -c:a aac a.ts && ffmpeg "
                              "-v error -y -i a.ts -map 0:v "
                              "-c copy v.ts && cat v.ts a.ts > late.ts && for n in 1 2 3 4 5 6 7 "
                              "8; do cat v.ts; done > long.ts "
                              "&& cat long.ts a.ts > later.ts");
  ASSERT_EQ(made.code, 0) << made.out;
  for (const char* name : {"late.ts", "later.ts"})
    for (const bool keeps : {false, true}) {
      FilmExport how;
      how.keeps_sound = keeps;
      const std::string out = std::string(name) + (keeps ? "-kept.mkv" : ".mkv");
      const std::string why = fault(folder / name, sound(2), out, how);
      // Either it is written whole, or what hinders it is told, and not as the disk's fault.
      if (!why.empty()) {
        EXPECT_THAT(why, HasSubstr(name));
        EXPECT_THAT(why, Not(HasSubstr("disk")));
        EXPECT_FALSE(std::filesystem::exists(folder / out));
        continue;
      }
      EXPECT_GE(film_packets(folder / out, FilmStream::picture).size(), 50U) << out;
      EXPECT_EQ(test::read_all(folder / out).channels(), 2) << "the new sound comes first";
    }
}

TEST_F(FilmTest, WhatCannotBeIsToldAndNothingIsLeft) {
  const auto plain = film("plain.mkv", {});
  const auto mix = sound(2);
  std::ofstream(folder / "words.mp4") << "no film at all, only words and words and words";
  EXPECT_THAT(fault(folder / "gone.mp4", mix, "x.mp4"), HasSubstr("is not there"));
  EXPECT_THAT(fault(folder / "words.mp4", mix, "x.mp4"), HasSubstr("words.mp4"));
  EXPECT_THAT(fault(mix, mix, "x.mp4"), HasSubstr("no picture"));
  EXPECT_THAT(fault(plain, folder / "gone.wav", "x.mkv"), HasSubstr("gone.wav"));
  EXPECT_THAT(fault(plain, mix, "x.xyz"), HasSubstr(".mov, .mp4"));
  EXPECT_THAT(fault(plain, mix, "plain.mkv"), HasSubstr("over itself"));
  EXPECT_THAT(fault(plain, mix, "x.mp4", {.sound = FilmSound::pcm}), HasSubstr("PCM"));
  EXPECT_THAT(fault(plain, mix, "no folder/x.mkv"), HasSubstr("x.mkv"));
  EXPECT_THAT(fault(plain, mix, "x.webm"), HasSubstr("another one"));
  CancelToken stop;
  stop.cancel();
  EXPECT_THROW(write_film(plain, mix, folder / "x.mkv", {}, stop), Cancelled);
  EXPECT_TRUE(test::left_over(folder.path()).empty());
  for (const char* name : {"x.mp4", "x.mkv", "x.mov", "x.xyz"})
    EXPECT_FALSE(std::filesystem::exists(folder / name)) << name;
}

}  // namespace
}  // namespace drevan
