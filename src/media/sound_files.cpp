// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/sound_files.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/utf8.h"

namespace drevan {

namespace fs = std::filesystem;

const std::vector<std::string>& sound_endings() {
  static const std::vector<std::string> endings{".wav",  ".flac", ".ogg",  ".opus", ".mp3", ".aif",
                                                ".aiff", ".rf64", ".w64",  ".m4a",  ".aac", ".mp4",
                                                ".mov",  ".mkv",  ".webm", ".avi",  ".mxf"};
  return endings;
}

namespace {

bool hidden(const fs::path& path) { return path.filename().string().starts_with('.'); }

bool is_sound(const fs::path& path) {
  const auto ending = folded(path.extension().string());
  return std::ranges::find(sound_endings(), ending) != sound_endings().end();
}

class Search {
 public:
  Search(fs::path top, const CancelToken& cancel,
         const std::function<bool(const fs::path&)>& passes_by, size_t most)
      : top_(std::move(top)), cancel_(cancel), passes_by_(passes_by), most_(most) {}

  FoundFiles run() {
    search(top_);
    if (out_.files.size() >= most_)
      out_.problems.push_back(
          fmt::format("{} holds {} files or more; the first {} are taken. Add the rest by smaller "
                      "folders.",
                      to_utf8(top_.string()), most_, most_));
    return std::move(out_);
  }

 private:
  void search(const fs::path& folder) {
    cancel_.check();
    std::error_code error;
    std::vector<fs::path> files, folders;
    for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
      if (hidden(at->path())) continue;
      std::error_code unknown;
      if (at->is_directory(unknown) && !at->is_symlink(unknown))
        folders.push_back(at->path());
      else if (at->is_regular_file(unknown) && is_sound(at->path()))
        files.push_back(at->path());
    }
    if (error)
      out_.problems.push_back(
          fmt::format("{} could not be read: {}. Give yourself the right to it, or leave it out.",
                      to_utf8(folder.string()), error.message()));
    std::ranges::sort(files);
    std::ranges::sort(folders);
    const auto relative = folder.lexically_relative(top_).generic_string();
    for (const auto& file : files) {
      if (out_.files.size() >= most_) return;
      out_.files.push_back({file, relative == "." ? std::string() : relative});
    }
    for (const auto& inner : folders)
      if (!passes_by_ || !passes_by_(inner)) search(inner);
  }

  const fs::path top_;
  const CancelToken& cancel_;
  const std::function<bool(const fs::path&)>& passes_by_;
  const size_t most_;
  FoundFiles out_;
};

}  // namespace

FoundFiles find_sound_files(const fs::path& folder, const CancelToken& cancel,
                            const std::function<bool(const fs::path&)>& passes_by, size_t most) {
  return Search(folder, cancel, passes_by, most).run();
}

}  // namespace drevan
