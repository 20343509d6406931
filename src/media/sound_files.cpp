#include "media/sound_files.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/utf8.h"

namespace drevan {

namespace fs = std::filesystem;

const std::vector<std::string>& sound_endings() {
  static const std::vector<std::string> endings{
      ".wav", ".flac", ".ogg", ".opus", ".mp3", ".aif", ".aiff", ".rf64", ".w64", ".m4a",
      ".aac", ".mp4",  ".mov", ".mkv",  ".webm", ".avi", ".mxf"};
  return endings;
}

namespace {

bool hidden(const fs::path& path) { return path.filename().string().starts_with('.'); }

bool is_sound(const fs::path& path) {
  const auto ending = folded(path.extension().string());
  return std::ranges::find(sound_endings(), ending) != sound_endings().end();
}

void search(const fs::path& top, const fs::path& folder, const CancelToken& cancel,
            FoundFiles& out) {
  cancel.check();
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
    out.problems.push_back(fmt::format("{} could not be read: {}. Give yourself the right to it, or "
                                       "leave it out.",
                                       to_utf8(folder.string()), error.message()));
  std::ranges::sort(files);
  std::ranges::sort(folders);
  const auto relative = folder.lexically_relative(top).generic_string();
  for (const auto& file : files) {
    if (out.files.size() >= most_found_files) return;
    out.files.push_back({file, relative == "." ? std::string() : relative});
  }
  for (const auto& inner : folders) search(top, inner, cancel, out);
}

}  // namespace

FoundFiles find_sound_files(const fs::path& folder, const CancelToken& cancel) {
  FoundFiles out;
  search(folder, folder, cancel, out);
  if (out.files.size() >= most_found_files)
    out.problems.push_back(fmt::format(
        "{} holds {} files or more; the first {} are taken. Add the rest by smaller folders.",
        to_utf8(folder.string()), most_found_files, most_found_files));
  return out;
}

}  // namespace drevan
