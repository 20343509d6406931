// SPDX-License-Identifier: GPL-3.0-or-later
// Reading and writing files, and what happens when they are bad.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <numbers>

#include "audio/error.h"
#include "audio/hash.h"
#include "media/peaks.h"
#include "media/reader.h"
#include "media/sndfile_reader.h"
#include "media/writer.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using test::TempFolder;
namespace fs = std::filesystem;

std::string error_of(const std::function<void()>& f) {
  try {
    f();
  } catch (const Error& e) {
    return e.what();
  }
  return "";
}

TEST(Writer, RoundTripsEveryFormat) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 1, 4, 48000, 2);
  for (const auto container : {Container::wav, Container::flac})
    for (const auto type : {SampleType::int16, SampleType::int24, SampleType::float32}) {
      if (container == Container::flac && type == SampleType::float32) continue;
      const auto file = t / ("x" + std::string(extension(container)));
      AudioWriter w(file, {container, type, 48000, 2}, x.frames(), {});
      w.write(x.block());
      w.commit();
      const AudioBuffer y = test::read_all(file);
      ASSERT_EQ(y.frames(), x.frames());
      const float most = type == SampleType::int16   ? 6.2e-5F
                         : type == SampleType::int24 ? 2.4e-7F
                                                     : 0.0F;
      for (int c = 0; c < 2; ++c)
        for (size_t i = 0; i < 48000; ++i) ASSERT_NEAR(y.channel(c)[i], x.channel(c)[i], most);
    }
}

// Every sample beyond what the format holds is counted, on either side.
TEST(Writer, CountsWhatItClipsAboveAndBelow) {
  const std::vector<float> in{0, 1.5F, -1.5F, 0.5F, -3};
  for (const int bits : {16, 24}) {
    std::vector<std::int32_t> out(in.size());
    std::uint64_t state = 1;
    EXPECT_EQ(quantise(in, out, bits, state), 3) << bits;
  }
}

TEST(Writer, SameSoundSameBits) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 0.5, 4);
  test::write_wav(t / "a.wav", x, 48000, SampleType::int16);
  test::write_wav(t / "b.wav", x, 48000, SampleType::int16);
  EXPECT_EQ(test::bytes(t / "a.wav"), test::bytes(t / "b.wav"));
}

TEST(Writer, LeavesNothingUnlessCommitted) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 0.5, 4);
  {
    AudioWriter w(t / "x.wav", {}, x.frames(), {});
    w.write(x.block());
  }
  EXPECT_TRUE(fs::is_empty(t.path()));
}

TEST(Writer, ReplacesOnlyWhenDone) {
  const TempFolder t;
  AudioBuffer old = test::noise(0.1, 0.2, 1), x = test::noise(0.1, 0.5, 2);
  test::write_wav(t / "x.wav", old);
  const auto before = test::bytes(t / "x.wav");
  AudioWriter w(t / "x.wav", {}, x.frames(), {});
  w.write(x.block());
  EXPECT_EQ(test::bytes(t / "x.wav"), before);
  w.commit();
  EXPECT_NE(test::bytes(t / "x.wav"), before);
}

TEST(Writer, PastFourGigabytesIsRf64) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 0.1, 4);
  // The promise decides; nobody has to write four gigabytes for it.
  AudioWriter w(t / "long.wav", {Container::wav, SampleType::int24, 48000, 1},
                Samples{2'000'000'000}, {});
  w.write(x.block());
  w.commit();
  const auto bytes = test::bytes(t / "long.wav");
  EXPECT_EQ(std::string(bytes.data(), 4), "RF64");
  EXPECT_EQ(test::read_all(t / "long.wav").frames(), 4800);
  EXPECT_EQ(missing_seconds(t / "long.wav"), 0);
}

TEST(Writer, KeepsTimeReferenceAndDescription) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 0.1, 4);
  const std::int64_t far = (std::int64_t{5} << 32) + 17;
  test::write_wav(t / "x.wav", x, 48000, SampleType::int24, {"Lamp room, take 4", far});
  const auto info = open_audio(t / "x.wav")->info();
  EXPECT_EQ(info.time_reference, far);
  EXPECT_EQ(info.description, "Lamp room, take 4");
}

TEST(Writer, SaysWhatCannotBeWritten) {
  const TempFolder t;
  EXPECT_NE(error_of([&] {
              AudioWriter(t / "x.flac", {Container::flac, SampleType::float32, 48000, 1}, 1, {});
            }).find("FLAC cannot hold"),
            std::string::npos);
  EXPECT_NE(error_of([&] {
              AudioWriter(t / "nowhere" / "x.wav", {}, 1, {});
            }).find("x.wav cannot be written"),
            std::string::npos);
}

TEST(Reader, ReadsWhatPeopleBring) {
  const TempFolder t;
  AudioBuffer x = test::sine(440, 0.5, 2, 48000, 2);
  test::write_wav(t / "x.wav", x, 48000, SampleType::int16);
  for (const std::string ending :
       {"flac", "aiff", "ogg", "opus", "mp3", "w64", "m4a", "mp4", "mkv", "mov"}) {
    const auto file = t / ("y." + ending);
    const bool video = ending == "mp4" || ending == "mkv" || ending == "mov";
    const auto ran = test::run("ffmpeg -v error -y " +
                               std::string(video ? "-f lavfi -i color=s=64x48:d=2 " : "") + "-i " +
                               (t / "x.wav").string() + " -shortest -b:a 192k " +
                               (ending == "ogg" ? "-c:a libvorbis " : "") + file.string());
    ASSERT_EQ(ran.code, 0) << ending << ran.out;
    const auto reader = open_audio(file);
    EXPECT_EQ(reader->info().channels, 2) << ending;
    EXPECT_NEAR(reader->info().seconds(), 2, 0.08) << ending;
    // In the middle it is still that sine.
    reader->seek(48000);
    AudioBuffer y(2, 24000);
    ASSERT_EQ(reader->read(y.block()), 24000) << ending;
    EXPECT_NEAR(test::rms(y.channel(1)), 0.5 / std::numbers::sqrt2, 0.02) << ending;
  }
}

TEST(Reader, SeeksToTheSample) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.2, 3, 8);
  test::write_wav(t / "x.wav", x, 48000, SampleType::int16);
  for (const std::string ending : {"wav", "flac", "mkv"}) {
    const auto file = t / ("y." + ending);
    ASSERT_EQ(test::run("ffmpeg -v error -y -i " + (t / "x.wav").string() + " -c:a " +
                        (ending == "flac" ? "flac" : "pcm_s16le") + " " + file.string())
                  .code,
              0);
    const auto reader = open_audio(file);
    for (const Samples at : {100001, 7, 143000, 0}) {
      reader->seek(at);
      AudioBuffer y(1, 500);
      ASSERT_EQ(reader->read(y.block()), 500) << ending;
      for (size_t i = 0; i < 500; ++i)
        ASSERT_NEAR(y.channel(0)[i], x.channel(0)[static_cast<size_t>(at) + i], 7e-5)
            << ending << " " << at << " " << i;
    }
  }
}

TEST(Resampler, KeepsTimeAndTone) {
  const TempFolder t;
  for (const double rate : {44100.0, 96000.0, 192000.0, 16000.0}) {
    AudioBuffer x = test::sine(1000, 0.5, 2, rate);
    test::write_wav(t / "x.wav", x, rate);
    const auto reader = open_audio(t / "x.wav", 48000);
    ASSERT_EQ(reader->info().frames, 96000);
    AudioBuffer y(1, 96000);
    ASSERT_EQ(reader->read(y.block()), 96000);
    const AudioBuffer ideal = test::sine(1000, 0.5, 2);
    for (size_t i = 4800; i < 91200; ++i)
      ASSERT_NEAR(y.channel(0)[i], ideal.channel(0)[i], 2e-5) << rate << " " << i;
    // After a seek it is in the same place.
    reader->seek(50003);
    AudioBuffer z(1, 1000);
    ASSERT_EQ(reader->read(z.block()), 1000);
    for (size_t i = 0; i < 1000; ++i)
      ASSERT_NEAR(z.channel(0)[i], y.channel(0)[50003 + i], 2e-6) << rate;
  }
}

// --- bad input ---

TEST(BadInput, TextCalledWav) {
  const TempFolder t;
  std::ofstream(t / "letter.wav") << "Dear Ines,\nthe boat comes on Thursday.\n";
  const auto e = error_of([&] { open_audio(t / "letter.wav"); });
  EXPECT_NE(e.find("letter.wav"), std::string::npos) << e;
  EXPECT_NE(e.find("not a sound"), std::string::npos) << e;
}

TEST(BadInput, MissingFileAndFolder) {
  const TempFolder t;
  EXPECT_NE(error_of([&] { open_audio(t / "gone.wav"); }).find("no such file"), std::string::npos);
  EXPECT_NE(error_of([&] { open_audio(t.path()); }).find("folder"), std::string::npos);
}

TEST(BadInput, CutOffWavIsUsedAndTold) {
  const TempFolder t;
  AudioBuffer x = test::noise(0.1, 4, 4);
  test::write_wav(t / "x.wav", x, 48000, SampleType::int16);
  fs::resize_file(t / "x.wav", fs::file_size(t / "x.wav") / 2);
  const auto reader = open_audio(t / "x.wav");
  EXPECT_NEAR(reader->info().seconds(), 2.0, 0.01);
  ASSERT_EQ(reader->info().warnings.size(), 1U);
  EXPECT_NE(reader->info().warnings[0].find("cut off"), std::string::npos);
  EXPECT_EQ(test::read_all(t / "x.wav").frames(), reader->info().frames);
}

TEST(BadInput, ZeroLength) {
  const TempFolder t;
  AudioBuffer none(1, 0);
  test::write_wav(t / "none.wav", none);
  EXPECT_NE(error_of([&] { open_audio(t / "none.wav"); }).find("holds no sound"),
            std::string::npos);
  std::ofstream(t / "empty.wav").flush();
  EXPECT_NE(error_of([&] { open_audio(t / "empty.wav"); }).find("empty.wav"), std::string::npos);
}

TEST(BadInput, FilmWithoutSound) {
  const TempFolder t;
  ASSERT_EQ(
      test::run("ffmpeg -v error -f lavfi -i color=s=64x48:d=1 " + (t / "x.mp4").string()).code, 0);
  EXPECT_NE(error_of([&] { open_audio(t / "x.mp4"); }).find("no sound in it"), std::string::npos);
}

TEST(BadInput, NotANumberReadsAsSilence) {
  const TempFolder t;
  AudioBuffer x = test::sine(440, 0.5, 0.1);
  x.channel(0)[100] = std::numeric_limits<float>::quiet_NaN();
  x.channel(0)[101] = std::numeric_limits<float>::infinity();
  test::write_wav(t / "x.wav", x);
  const AudioBuffer y = test::read_all(t / "x.wav");
  EXPECT_EQ(y.channel(0)[100], 0);
  EXPECT_EQ(y.channel(0)[101], 0);
  EXPECT_EQ(y.channel(0)[102], x.channel(0)[102]);
}

TEST(BadInput, SixChannelsAt192kHz) {
  const TempFolder t;
  AudioBuffer x = test::sine(1000, 0.25, 0.5, 192000, 6);
  test::write_wav(t / "x.wav", x, 192000, SampleType::int24);
  const auto reader = open_audio(t / "x.wav", 48000);
  EXPECT_EQ(reader->info().channels, 6);
  AudioBuffer y(6, 24000);
  EXPECT_EQ(reader->read(y.block()), 24000);
  EXPECT_NEAR(test::rms(y.channel(5).subspan(2400, 19200)), 0.25 / std::numbers::sqrt2, 1e-4);
}

// --- peaks ---

TEST(Peaks, AreThoseOfTheSound) {
  AudioBuffer x = test::noise(0.2, 3, 6, 48000, 2);
  PeakPyramid p;
  for (Samples at = 0; at < x.frames(); at += 1000)
    p.hear(x.block(at, static_cast<int>(std::min<Samples>(1000, x.frames() - at))));
  p.finish();
  for (const auto& [from, to] :
       {std::pair<Samples, Samples>{0, 144000}, {64, 128}, {6400, 70400}, {128000, 144000}}) {
    float low = 9, high = -9;
    for (int c = 0; c < 2; ++c)
      for (Samples i = from; i < to; ++i) {
        low = std::min(low, x.channel(c)[static_cast<size_t>(i)]);
        high = std::max(high, x.channel(c)[static_cast<size_t>(i)]);
      }
    // Coarse cells may reach over the edges, never less far.
    EXPECT_LE(p.range(from, to).low, low + 1e-3F);
    EXPECT_GE(p.range(from, to).high, high - 1e-3F);
    if (from == 0 || from == 64) EXPECT_NEAR(p.range(from, to).high, high, 1e-3F);
  }
}

TEST(Outline, HasTheExtremesOfEachColumnForAnyBlocks) {
  AudioBuffer x = test::noise(0.2, 0.7, 8, 48000, 2);
  const Samples frames = 30000;  // the rest rings
  Outline outline(frames);
  for (int at = 0, n = 1; at < x.frames(); at += n, n = n * 7 % 1201 + 1) {
    n = std::min(n, static_cast<int>(x.frames()) - at);
    outline.hear(x.block(at, n));
  }
  ASSERT_EQ(outline.cells().size(), Outline::columns);
  std::vector<PeakPair> want(Outline::columns);
  for (Samples i = 0; i < x.frames(); ++i) {
    auto& cell = want[static_cast<size_t>(std::min<Samples>(
        i * static_cast<Samples>(Outline::columns) / frames, Outline::columns - 1))];
    for (int c = 0; c < 2; ++c) {
      cell.low = std::min(cell.low, x.channel(c)[static_cast<size_t>(i)]);
      cell.high = std::max(cell.high, x.channel(c)[static_cast<size_t>(i)]);
    }
  }
  for (size_t i = 0; i < want.size(); ++i) {
    EXPECT_EQ(outline.cells()[i].low, want[i].low) << i;
    EXPECT_EQ(outline.cells()[i].high, want[i].high) << i;
  }
  // Shorter than its columns.
  Outline little(3);
  little.hear(x.block(0, 3));
  EXPECT_EQ(little.cells()[0].high, std::max({0.0F, x.channel(0)[0], x.channel(1)[0]}));
}

TEST(Peaks, AreKeptAndDamagedOnesAreNotBelieved) {
  const TempFolder t;
  ::setenv("XDG_CACHE_HOME", t.path().c_str(), 1);
  AudioBuffer x = test::noise(0.2, 1, 6);
  test::write_wav(t / "x.wav", x);
  const CancelToken never{};
  const auto hash = hash_file(t / "x.wav");
  const auto first = source_peaks(t / "x.wav", hash, 48000, never);
  fs::path cached;
  for (const auto& f : fs::directory_iterator(peak_cache_folder())) cached = f.path();
  ASSERT_FALSE(cached.empty());
  EXPECT_EQ(PeakPyramid::load(cached)->frames(), first->frames());
  fs::resize_file(cached, fs::file_size(cached) - 10);
  EXPECT_EQ(PeakPyramid::load(cached), nullptr);
  EXPECT_EQ(source_peaks(t / "x.wav", hash, 48000, never)->frames(), 48000);
}

// A range is what lies in it, to the cell: a spike in the first cell behind it is not in it, on any level.
TEST(Peaks, ARangeEndsWhereItEnds) {
  AudioBuffer x(1, 64 * 256);
  const auto spike = static_cast<size_t>(64 * 128);
  x.channel(0)[spike] = 0.5F;
  PeakPyramid peaks;
  peaks.hear(x.block());
  peaks.finish();
  for (const Samples cells : {1, 4, 16, 64, 128}) {
    const auto end = static_cast<Samples>(spike);
    EXPECT_EQ(peaks.range(end - 64 * cells, end).high, 0) << cells;
    EXPECT_NEAR(peaks.range(end, end + 64 * cells).high, 0.5, 0.001) << cells;
  }
}

}  // namespace
}  // namespace drevan
