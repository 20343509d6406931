// SPDX-License-Identifier: GPL-3.0-or-later
// Sound files by libsndfile: WAV, RF64, FLAC, Ogg, Opus, MP3, AIFF and more.
#pragma once

#include "media/reader.h"

namespace drevan {

/// nullptr when libsndfile does not know the format.
std::unique_ptr<AudioReader> open_sndfile(const std::filesystem::path& file);

/// Seconds of sound that a WAV or RF64 file's header promises beyond what the file holds; 0 when
/// it is whole, or no such file.
double missing_seconds(const std::filesystem::path& file);

}  // namespace drevan
