#include "reel/source_files.h"

#include <sys/stat.h>

namespace drevan {

namespace fs = std::filesystem;

void SourceFiles::add(const fs::path& file) {
  if (file.empty()) return;
  std::error_code error;
  paths_.insert(fs::weakly_canonical(file, error));
  struct stat s {};
  if (::stat(file.c_str(), &s) == 0) files_.emplace(s.st_dev, s.st_ino);
}

bool SourceFiles::contains(const fs::path& file) const {
  struct stat s {};
  if (::stat(file.c_str(), &s) == 0) return files_.contains({s.st_dev, s.st_ino});
  std::error_code error;
  return paths_.contains(fs::weakly_canonical(file, error));
}

std::vector<fs::path> source_files(const Reel& reel) {
  std::vector<fs::path> out;
  for (const auto& source : reel.sources) out.push_back(source.path);
  for (const auto& film : reel.films) out.push_back(film.path);
  if (!reel.reference.empty()) out.push_back(reel.reference);
  return out;
}

bool is_source(const fs::path& file, std::span<const fs::path> sources) {
  SourceFiles all;
  for (const auto& source : sources) all.add(source);
  return all.contains(file);
}

}  // namespace drevan
