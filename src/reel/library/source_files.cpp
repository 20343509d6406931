// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/source_files.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include "audio/error.h"

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
  const auto add = [&](const Chain& chain) {
    const auto files = files_of(chain);
    out.insert(out.end(), files.begin(), files.end());
  };
  add(reel.chain);
  add(reel.mix.chain);
  for (const Space& space : reel.spaces) add(space.clip.chain);
  for (const Group& group : reel.groups) add(group.chain);
  for (const Clip& clip : reel.clips) {
    add(clip.chain);
    for (const Version& version : clip.versions) {
      add(version.made_with);
      add(version.top);
    }
  }
  return out;
}

std::vector<fs::path> files_of(const Chain& chain) {
  std::vector<fs::path> out;
  Chain copy = chain;
  change_files(copy, [&](const fs::path& file) {
    out.push_back(file);
    return file;
  });
  return out;
}

void require_output(const fs::path& file, const OutputRules& rules) {
  if (is_source(file, rules.reads))
    throw Error(Error::Kind::call,
                fmt::format("{} is read for this, so it is never written to. Choose another name.",
                            file.string()));
  std::error_code error;
  if (!rules.overwrite && fs::exists(fs::symlink_status(file, error)))
    throw Error(Error::Kind::call,
                fmt::format("{} is there already and stays as it is. Choose another name, or say "
                            "--overwrite.",
                            file.string()));
}

bool is_source(const fs::path& file, std::span<const fs::path> sources) {
  SourceFiles all;
  for (const auto& source : sources) all.add(source);
  return all.contains(file);
}

}  // namespace drevan
