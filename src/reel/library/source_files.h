// SPDX-License-Identifier: GPL-3.0-or-later
// The recordings of a reel, which nothing may be written over.
#pragma once

#include <sys/types.h>

#include <filesystem>
#include <set>
#include <span>
#include <utility>
#include <vector>

#include "reel/reel.h"

namespace drevan {

/// Files that no output may take the place of: by inode, however they are named, and by path where none is there.
class SourceFiles {
 public:
  void add(const std::filesystem::path& file);
  bool contains(const std::filesystem::path& file) const;

 private:
  std::set<std::pair<dev_t, ino_t>> files_;
  std::set<std::filesystem::path> paths_;
};

/// All that a reel reads: sources of any clip and version, films, the reference, and what its chains
/// need (responses, devices, carriers), those of versions too.
std::vector<std::filesystem::path> source_files(const Reel& reel);
/// What a chain needs: files as settings, and what is heard beside.
std::vector<std::filesystem::path> files_of(const Chain& chain);
/// Whether a file is one of these.
bool is_source(const std::filesystem::path& file, std::span<const std::filesystem::path> sources);

/// The door for files that the program writes outside of its own folders. `reads`: what is read for
/// it, never written to.
struct OutputRules {
  std::vector<std::filesystem::path> reads{};
  bool overwrite = false;  ///< a file that is there may be replaced: somebody was asked
};
/// Throws Error(call) with a sentence: `file` is one of those that are read, or there is a file
/// already and nobody was asked.
void require_output(const std::filesystem::path& file, const OutputRules& rules);

}  // namespace drevan
