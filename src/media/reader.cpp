// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/reader.h"

#include <fmt/format.h>

#include "audio/error.h"
#include "media/libav_reader.h"
#include "media/resampled_reader.h"
#include "media/sndfile_reader.h"

namespace drevan {

std::unique_ptr<AudioReader> open_audio(const std::filesystem::path& file) {
  const auto fail = [&](const std::string& why, Cause cause = Cause::unreadable) {
    return Error(Error::Kind::input, cause, fmt::format("{}: {}", file.string(), why), file);
  };
  std::error_code error;
  if (!std::filesystem::exists(file, error))
    throw fail("there is no such file; check the name, or find it again if it was moved.",
               Cause::missing);
  if (std::filesystem::is_directory(file, error))
    throw fail("this is a folder; name the files in it.");
  auto reader = open_sndfile(file);
  if (!reader) reader = open_libav(file);
  if (!reader)
    throw fail(
        "this is not a sound or video file that Drevan can read, or it is damaged at its "
        "start; export it again as WAV or FLAC.");
  const MediaInfo& info = reader->info();
  if (info.channels > max_channels)
    throw fail(fmt::format("it has {} channels, Drevan reads up to {}; split it first.",
                           info.channels, max_channels));
  if (info.rate < 8000 || info.rate > 384000)
    throw fail(fmt::format("its rate of {} Hz is outside 8000 to 384000 Hz; convert it first.",
                           info.rate));
  if (info.frames <= 0) throw fail("it holds no sound (its length is zero).", Cause::damaged);
  return reader;
}

std::unique_ptr<AudioReader> open_audio(const std::filesystem::path& file, double rate) {
  auto reader = open_audio(file);
  if (reader->info().rate == rate) return reader;
  return std::make_unique<ResampledReader>(std::move(reader), rate);
}

}  // namespace drevan
