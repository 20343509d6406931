// SPDX-License-Identifier: GPL-3.0-or-later
// The sound of video files, and of every format libsndfile does not know, by libav.
#pragma once

#include "media/reader.h"

namespace drevan {

/// The file's best sound stream; nullptr when libav does not know the format either. Throws
/// Error(input) when it is a media file without sound.
std::unique_ptr<AudioReader> open_libav(const std::filesystem::path& file);

}  // namespace drevan
