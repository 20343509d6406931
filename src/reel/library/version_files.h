// SPDX-License-Identifier: GPL-3.0-or-later
// Where the sound of printed versions lies, and whose it is.
#pragma once

#include <filesystem>
#include <map>
#include <set>
#include <span>

#include "reel/reel.h"

namespace drevan {

/// Files of printed versions lie in this folder beside the reel, and are the reel's own.
std::filesystem::path versions_folder(const std::filesystem::path& reel_file);

/// A file name there that is free, and not among `promised` (to prints that have not begun).
std::filesystem::path version_file(const std::filesystem::path& reel_file, const Clip& clip,
                                   const std::set<std::filesystem::path>& promised = {});

/// Files that changed their place: from, to.
using MovedFiles = std::map<std::filesystem::path, std::filesystem::path>;

/// Gives the reel, which is to be saved as `reel_file`, its own of all printed files that lie in another
/// reel's folder: a hard link where one can be made, else a copy. Nothing is taken from the other reel.
/// Returns which; move_sources() then lets a reel refer to them. Throws Error(output), Error(input),
/// Cancelled; links and copies that were made are removed again.
MovedFiles own_version_files(const Reel& reel, const std::filesystem::path& reel_file,
                             const CancelToken* cancel = nullptr);
void move_sources(Reel& reel, const MovedFiles& moved);

/// Deletes printed files in the reel's own folder that neither the reel on the disk nor another one beside it
/// refers to. Nothing is deleted on a doubt: a reel there that cannot be read keeps all. Returns how many went.
int delete_version_files(std::span<const std::filesystem::path> files,
                         const std::filesystem::path& reel_file);

}  // namespace drevan
