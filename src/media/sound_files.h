// SPDX-License-Identifier: GPL-3.0-or-later
// Finding the sound and video files of a folder.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "audio/progress.h"

namespace drevan {

/// Endings of sound and video files that are offered, in lower case with their dot.
const std::vector<std::string>& sound_endings();

struct FoundFile {
  std::filesystem::path path;
  /// The folder it lies in, relative to the one that was searched; empty: that one itself.
  std::string folder;
};

struct FoundFiles {
  std::vector<FoundFile> files;       ///< by folder, then by name
  std::vector<std::string> problems;  ///< sentences: a folder that may not be read, too many files
};

/// The most files that one search takes.
inline constexpr size_t most_found_files = 10000;

/// All of a folder and of those in it. Hidden ones, links to folders and those that `passes_by`
/// names are passed by: nothing is found twice, no circle is walked. Throws Cancelled.
FoundFiles find_sound_files(
    const std::filesystem::path& folder, const CancelToken& cancel,
    const std::function<bool(const std::filesystem::path& folder)>& passes_by = {},
    size_t most = most_found_files);

}  // namespace drevan
