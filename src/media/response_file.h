// SPDX-License-Identifier: GPL-3.0-or-later
// A room's or a device's answer to a clap, from a sound file or a SOFA file.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>

#include "audio/buffer.h"

namespace drevan {

/// Longer ones are not taken for responses, seconds.
inline constexpr double longest_response_s = 30;
/// "*.wav *.flac ...": what can be read.
inline constexpr std::string_view response_files = "*.wav *.flac *.aif *.aiff *.sofa";

/// A response at `rate`, channels x frames; brought there by libsoxr, so that its gain at each
/// frequency stays. Of a SOFA file (AES69, by libmysofa) the measurement `measurement` from 1, its
/// receivers as channels; the last one where there are not as many. Kept while the file stays as
/// it is. Throws Error(input): not there, not to be read, silent, too long.
std::shared_ptr<const AudioBuffer> load_response(const std::filesystem::path& file, int measurement,
                                                 double rate);

/// What is wrong with a file, to stand behind its name; empty: nothing.
std::string response_fault(std::string_view file);

}  // namespace drevan
