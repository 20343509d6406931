// SPDX-License-Identifier: GPL-3.0-or-later
// Streams that are not what their headers say: lengths that are guesses, gaps, late beginnings, changes on the
// way, damage. Made by ffmpeg's command line, checked against what went in.
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

#include "audio/error.h"
#include "engine/planning/clip_sound.h"
#include "media/reader.h"
#include "support/sounds.h"

namespace drevan {
namespace {

using test::quoted;
using test::TempFolder;
namespace fs = std::filesystem;

void ffmpeg(const std::string& arguments) {
  const auto ran = test::run("ffmpeg -v error -y " + arguments);
  ASSERT_EQ(ran.code, 0) << ran.out;
}

// Half of silence, half of noise: a header's guess from its beginning goes wrong.
class BrokenStreams : public testing::Test {
 protected:
  BrokenStreams() {
    AudioBuffer x = test::silence(20, 44100);
    const AudioBuffer parts[] = {x, test::noise(0.2, 20, 7, 44100)};
    AudioBuffer all = test::join(parts);
    test::write_wav(t_ / "src.wav", all, 44100);
  }
  // Frames that come out, and the last of them that is loud.
  std::pair<Samples, Samples> heard(const fs::path& file) {
    const auto reader = open_audio(file);
    AudioBuffer b(reader->info().channels, 4096);
    Samples n = 0, last = 0;
    for (int got = 0; (got = reader->read(b.block())) > 0; n += got)
      for (int i = 0; i < got; ++i)
        if (std::abs(b.channel(0)[static_cast<size_t>(i)]) > 0.01F) last = n + i;
    EXPECT_EQ(n, reader->info().frames) << file;
    return {n, last};
  }
  // The first frame at or after `from` whose magnitude passes 0.05.
  Samples onset(const AudioBuffer& x, Samples from) {
    for (Samples i = from; i < x.frames(); ++i)
      if (std::abs(x.channel(0)[static_cast<size_t>(i)]) > 0.05F) return i;
    return -1;
  }
  TempFolder t_;
};

TEST_F(BrokenStreams, LengthsThatAreGuessesAreCounted) {
  const auto src = quoted(t_ / "src.wav");
  ffmpeg("-i " + src + " -c:a libmp3lame -q:a 2 -write_xing 0 " + quoted(t_ / "no-header.mp3"));
  ffmpeg("-i " + src + " -c:a libmp3lame -q:a 2 " + quoted(t_ / "header.mp3"));
  ffmpeg("-i " + src + " -c:a aac -b:a 96k " + quoted(t_ / "raw.aac"));
  test::run("cat " + quoted(t_ / "header.mp3") + " " + quoted(t_ / "header.mp3") + " > " +
            quoted(t_ / "twice.mp3"));
  test::run("ffmpeg -v error -i " + src + " -f flac - | cat > " + quoted(t_ / "streamed.flac"));
  test::run("ffmpeg -v error -i " + src + " -f wav - | cat > " + quoted(t_ / "streamed.wav"));
  for (const char* name :
       {"no-header.mp3", "header.mp3", "raw.aac", "streamed.flac", "streamed.wav"}) {
    const auto [frames, last] = heard(t_ / name);
    std::printf("  %-14s %.3f s\n", name, static_cast<double>(frames) / 44100);
    EXPECT_NEAR(static_cast<double>(frames) / 44100, 40, 0.06) << name;
    EXPECT_NEAR(static_cast<double>(last) / 44100, 40, 0.06) << name;
  }
  EXPECT_NEAR(static_cast<double>(heard(t_ / "twice.mp3").first) / 44100, 80, 0.1);
}

TEST_F(BrokenStreams, FlacIsExactWhateverItsHeaderSays) {
  ffmpeg("-i " + quoted(t_ / "src.wav") + " -c:a flac " + quoted(t_ / "a.flac"));
  EXPECT_EQ(heard(t_ / "a.flac").first, 40 * 44100);
}

// A click each half second; two seconds of packets are taken out.
class Gaps : public BrokenStreams, public testing::WithParamInterface<const char*> {
 protected:
  void make(const std::string& ending) {
    AudioBuffer x = test::noise(1e-4, 10, 3);
    for (int k = 1; k < 20; ++k)
      for (int i = 0; i < 480; ++i)
        x.channel(0)[static_cast<size_t>(k * 24000 + i)] +=
            0.5F * static_cast<float>(std::sin(i * 0.3));
    test::write_wav(t_ / "clicks.wav", x);
    file_ = t_ / ("gap." + ending);
    const std::string codec = ending == "mkv" ? "pcm_s16le" : "aac -b:a 192k";
    ffmpeg("-f lavfi -i testsrc=d=10:r=25:s=64x48 -i " + quoted(t_ / "clicks.wav") +
           " -c:v mpeg4 -c:a " + codec + " " + quoted(t_ / ("whole." + ending)));
    ffmpeg("-copyts -i " + quoted(t_ / ("whole." + ending)) +
           " -map 0 -c copy -bsf:a \"noise=drop='between(pts*tb," +
           (ending == "ts" ? "4.6,6.6" : "3.2,5.2") + ")'\" -avoid_negative_ts disabled " +
           quoted(file_));
  }
  fs::path file_;
};

TEST_P(Gaps, AreSilenceAndWhatFollowsKeepsItsTime) {
  make(GetParam());
  const auto reader = open_audio(file_);
  EXPECT_EQ(reader->info().warnings.size(), 1U);
  if (!reader->info().warnings.empty())
    EXPECT_NE(reader->info().warnings[0].find("has no sound from 3."), std::string::npos)
        << reader->info().warnings[0];
  const AudioBuffer whole = test::read_all(t_ / (std::string("whole.") + GetParam())),
                    x = test::read_all(file_);
  EXPECT_NEAR(static_cast<double>(x.frames()), static_cast<double>(whole.frames()), 1100);
  for (const Samples at : {Samples{48000}, Samples{144000}, Samples{288000}, Samples{432000}}) {
    const Samples there = onset(whole, at - 200), here = onset(x, at - 200);
    // The stamps of MKV count whole milliseconds.
    EXPECT_NEAR(static_cast<double>(here), static_cast<double>(there),
                std::string(GetParam()) == "mkv" ? 26 : 2)
        << at;
  }
  for (Samples i = 170000; i < 240000; ++i)
    ASSERT_LT(std::abs(x.channel(0)[static_cast<size_t>(i)]), 5e-3F) << i;
  // Played from the middle, the same sample has the same place.
  for (const Samples from : {Samples{100000}, Samples{200000}, Samples{250001}, Samples{300000}}) {
    reader->seek(from);
    AudioBuffer part(1, 80000);
    ASSERT_EQ(reader->read(part.block()), 80000);
    const Samples there = onset(x, from), here = onset(part, 0);
    EXPECT_EQ(here, there - from) << from;
  }
}

INSTANTIATE_TEST_SUITE_P(Broken, Gaps, testing::Values("mkv", "mp4", "ts", "mov"),
                         [](const auto& given) { return std::string(given.param); });

// The sound of a film that starts half a second after its picture.
TEST_F(BrokenStreams, SoundThatBeginsLateStaysLate) {
  AudioBuffer x = test::sine(1000, 0.3, 4);
  test::write_wav(t_ / "tone.wav", x);
  for (const char* ending : {"mkv", "mp4", "ts", "mov"}) {
    const auto file = t_ / (std::string("late.") + ending);
    ffmpeg("-f lavfi -i testsrc=d=5:r=25:s=64x48 -itsoffset 0.5 -i " + quoted(t_ / "tone.wav") +
           " -map 0:v -map 1:a -c:v mpeg4 -c:a aac -b:a 192k " + quoted(file));
    const AudioBuffer y = test::read_all(file);
    EXPECT_NEAR(static_cast<double>(onset(y, 0)) / 48000, 0.5, 0.025) << ending;
    // From there to its end, and from the middle likewise.
    const auto reader = open_audio(file);
    reader->seek(30000);
    AudioBuffer part(1, 9600);
    reader->read(part.block());
    for (size_t i = 0; i < 9600; ++i)
      ASSERT_NEAR(part.channel(0)[i], y.channel(0)[30000 + i], 1e-4F) << ending << i;
  }
}

TEST_F(BrokenStreams, ChannelsAndRateMayChangeOnTheWay) {
  AudioBuffer two = test::sine(500, 0.3, 3, 44100, 2), one = test::sine(1000, 0.3, 3, 44100),
              other = test::sine(1000, 0.3, 3, 48000);
  test::write_wav(t_ / "two.wav", two, 44100);
  test::write_wav(t_ / "one.wav", one, 44100);
  test::write_wav(t_ / "other.wav", other, 48000);
  for (const char* name : {"two", "one", "other"})
    ffmpeg("-i " + quoted(t_ / (std::string(name) + ".wav")) + " -c:a aac -b:a 128k " +
           quoted(t_ / (std::string(name) + ".aac")));
  test::run("cat " + quoted(t_ / "two.aac") + " " + quoted(t_ / "one.aac") + " > " +
            quoted(t_ / "mixed.aac"));
  test::run("cat " + quoted(t_ / "one.aac") + " " + quoted(t_ / "other.aac") + " > " +
            quoted(t_ / "rates.aac"));
  const AudioBuffer mixed = test::read_all(t_ / "mixed.aac");
  ASSERT_EQ(mixed.channels(), 2);
  EXPECT_NEAR(static_cast<double>(mixed.frames()) / 44100, 6, 0.15);
  const auto tail = [](const AudioBuffer& x, int c) {
    return test::rms_db(x.channel(c).subspan(x.channel(c).size() - 60000, 40000));
  };
  EXPECT_GT(tail(mixed, 0), -25);
  EXPECT_GT(tail(mixed, 1), -25);
  const AudioBuffer rates = test::read_all(t_ / "rates.aac");
  // The second part is a tone of 1 kHz also at the first one's rate: count its periods.
  const auto part = rates.channel(0).subspan(rates.channel(0).size() - 66150, 44100);
  int crossings = 0;
  for (size_t i = 1; i < part.size(); ++i) crossings += part[i - 1] < 0 && part[i] >= 0 ? 1 : 0;
  EXPECT_NEAR(crossings, 1000, 3);
}

TEST_F(BrokenStreams, DamageIsToldWithItsPlace) {
  ffmpeg("-i " + quoted(t_ / "src.wav") + " -c:a aac -b:a 128k " + quoted(t_ / "good.aac"));
  std::fstream f(t_ / "good.aac", std::ios::in | std::ios::out | std::ios::binary);
  f.seekg(0, std::ios::end);
  const auto size = static_cast<long>(f.tellg());
  f.seekp(size * 3 / 4);
  for (int i = 0; i < 3000; ++i) f.put(static_cast<char>(i * 37));
  f.close();
  const auto reader = open_audio(t_ / "good.aac");
  AudioBuffer b(1, 4096);
  while (reader->read(b.block()) > 0) {
  }
  const auto told = reader->damage();
  const bool gap = !reader->info().warnings.empty();
  ASSERT_TRUE(!told.empty() || gap);
  for (const auto& line : told)
    EXPECT_NE(line.find("good.aac is damaged at"), std::string::npos) << line;
}

TEST_F(BrokenStreams, ACutOffFileIsNotWhole) {
  ffmpeg("-i " + quoted(t_ / "src.wav") + " -c:a flac " + quoted(t_ / "cut.flac"));
  fs::resize_file(t_ / "cut.flac", fs::file_size(t_ / "cut.flac") / 2);
  ClipReader reader({t_ / "cut.flac", 0, -1, 44100, {}});
  AudioBuffer b(1, 4096);
  bool threw = false;
  try {
    while (reader.read(b.block()) > 0) {
    }
  } catch (const Error& e) {
    threw = std::string(e.what()).find("cut.flac") != std::string::npos;
  }
  EXPECT_TRUE(threw || !reader.damage().empty());
}

// A name that libav could take for a protocol is a name.
TEST_F(BrokenStreams, NamesAreNoAddresses) {
  ffmpeg("-i " + quoted(t_ / "src.wav") + " -c:a aac -f adts " + quoted(t_ / "plain.aac"));
  fs::rename(t_ / "plain.aac", t_ / "concat:a|b.aac");
  EXPECT_GT(heard(t_ / "concat:a|b.aac").first, 39 * 44100);
}

// RIFF WAVE with more than two channels says which loudspeaker each is for (Microsoft, "Multiple Channel Audio Data
// and WAVE Files": dwChannelMask).
TEST_F(BrokenStreams, WaveFilesOfManyChannelsBearAMask) {
  const auto mask_in = [&](const fs::path& file) {
    const auto bytes = test::bytes(file);
    const std::string all(bytes.begin(), bytes.end());
    const auto at = all.find("fmt ");
    const auto number = [&](size_t from, int n) {
      std::uint32_t v = 0;
      for (int i = n; i-- > 0;)
        v = v << 8 | static_cast<unsigned char>(all[from + static_cast<size_t>(i)]);
      return v;
    };
    return number(at + 8, 2) == 0xfffe ? number(at + 8 + 20, 4) : 0U;
  };
  for (const auto& [channels, mask] :
       {std::pair(4, 0x33U), std::pair(6, 0x3fU), std::pair(8, 0x63fU)}) {
    AudioBuffer x = test::noise(0.1, 0.1, 5, 48000, channels);
    const auto file = t_ / (std::to_string(channels) + ".wav");
    test::write_wav(file, x);
    EXPECT_EQ(mask_in(file), mask) << channels;
    EXPECT_EQ(open_audio(file)->info().channel_mask, mask);
  }
  // One that comes with its own keeps it.
  AudioWriter w(t_ / "side.wav", {Container::wav, SampleType::int24, 48000, 6, 0x60f}, 100, {});
  AudioBuffer x = test::noise(0.1, 0.1, 5, 48000, 6);
  w.write(x.block());
  w.commit();
  EXPECT_EQ(mask_in(t_ / "side.wav"), 0x60fU);
  EXPECT_EQ(open_audio(t_ / "side.wav")->info().channel_mask, 0x60fU);
}

}  // namespace
}  // namespace drevan
