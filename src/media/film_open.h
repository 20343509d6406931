// SPDX-License-Identifier: GPL-3.0-or-later
// Opening a film with libav. Private to media.
#pragma once

#include <filesystem>

#include "media/film_file.h"
#include "media/libav_open.h"

namespace drevan::libav {

struct Film {
  Owned<AVFormatContext> format;
  int picture = -1;  // its stream
  AVStream& stream() const { return *format->streams[picture]; }
  /// Of the picture, in the file's clock.
  double begins_s() const;
  double lasts_s() const;
};

/// Throws Error(input): not there, not a film, no picture in it.
Film open_film(const std::filesystem::path& file);

AVMediaType kind_of(const AVStream& stream);
FilmInfo info_of(const Film& film);

/// 0 where there is no time.
double seconds_of(std::int64_t ts, AVRational base);

}  // namespace drevan::libav
