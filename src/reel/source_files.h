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

/// All sources of a reel, of any clip and version.
std::vector<std::filesystem::path> source_files(const Reel& reel);
/// Whether a file is one of these.
bool is_source(const std::filesystem::path& file, std::span<const std::filesystem::path> sources);

}  // namespace drevan
