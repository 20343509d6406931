// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness and true peak against libebur128, an implementation of its own, on every sound of the tests: the demo's,
// real speech of Debian's packages, noises of other rates and channels.
#include <ebur128.h>
#include <gtest/gtest.h>

#include <cmath>

#include "audio/decibel.h"
#include "measure/levels.h"
#include "media/reader.h"
#include "support/extent.h"
#include "support/sounds.h"

namespace drevan {
namespace {

namespace fs = std::filesystem;

void compare(AudioBuffer& x, double rate, const std::string& what) {
  LevelMeter meter({rate, x.channels(), 4096}, Detail::full);
  ebur128_state* ebur =
      ebur128_init(static_cast<unsigned>(x.channels()), static_cast<unsigned long>(rate),
                   EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_TRUE_PEAK);
  ASSERT_NE(ebur, nullptr);
  if (x.channels() == 1) ebur128_set_channel(ebur, 0, EBUR128_LEFT);
  for (Samples at = 0; at < x.frames(); at += 4096) {
    const auto block = x.block(at, static_cast<int>(std::min<Samples>(4096, x.frames() - at)));
    meter.hear(block);
    std::vector<float> interleaved(static_cast<size_t>(block.frames() * block.channels()));
    for (int c = 0; c < block.channels(); ++c)
      for (int i = 0; i < block.frames(); ++i)
        interleaved[static_cast<size_t>(i * block.channels() + c)] =
            block.channel(c)[static_cast<size_t>(i)];
    ebur128_add_frames_float(ebur, interleaved.data(), static_cast<size_t>(block.frames()));
  }
  const Levels ours = meter.levels();
  double value = 0;
  ebur128_loudness_global(ebur, &value);
  if (std::isfinite(value))
    EXPECT_NEAR(ours.loudness_lufs.value_or(-200), value, 0.02) << what;
  else
    EXPECT_FALSE(ours.loudness_lufs) << what;
  ebur128_loudness_range(ebur, &value);
  if (ours.loudness_lufs) EXPECT_NEAR(ours.loudness_range_lu.value_or(-1), value, 0.1) << what;
  double peak = 0;
  for (int c = 0; c < x.channels(); ++c) {
    ebur128_true_peak(ebur, static_cast<unsigned>(c), &value);
    peak = std::max(peak, value);
  }
  // From 192 kHz on theirs looks at the samples alone.
  if (peak > 0 && rate < 192000)
    EXPECT_NEAR(ours.true_peak_dbtp.value_or(-200), to_db(peak), 0.1) << what;
  ebur128_destroy(&ebur);
}

TEST(LoudnessAgainstLibrary, OnAllSounds) {
  std::vector<fs::path> files;
  for (const auto& folder :
       {fs::path(DREVAN_SOURCE_DIR "/demo"), fs::path("/usr/share/sounds/alsa")})
    for (const auto& entry : fs::directory_iterator(folder))
      if (entry.path().extension() == ".flac" || entry.path().extension() == ".wav")
        files.push_back(entry.path());
  ASSERT_GT(files.size(), 20U);
  for (const auto& file : files) {
    AudioBuffer x = test::read_all(file);
    compare(x, open_audio(file)->info().rate, file.filename().string());
  }
}

TEST(LoudnessAgainstLibrary, OnOtherRatesAndChannels) {
  DREVAN_IN_FULL_ONLY("every rate and channel count");
  for (const double rate : {16000.0, 44100.0, 96000.0, 192000.0})
    for (const int channels : {1, 2, 4, 5, 6}) {
      AudioBuffer x = test::noise(0.05, 8, 3, rate, channels);
      const AudioBuffer voice = test::words(0.3, 8, rate);
      for (size_t i = 0; i < voice.channel(0).size(); ++i)
        x.channel(channels - 1)[i] += voice.channel(0)[i];
      // White noise has much near half the rate, where peaks between samples are anybody's guess.
      for (int c = 0; c < channels; ++c)
        for (size_t i = x.channel(c).size() - 1; i > 1; --i)
          x.channel(c)[i] =
              0.25F * (x.channel(c)[i] + 2 * x.channel(c)[i - 1] + x.channel(c)[i - 2]);
      compare(x, rate, std::to_string(rate) + " Hz, " + std::to_string(channels));
    }
}

}  // namespace
}  // namespace drevan
