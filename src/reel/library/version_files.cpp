// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/version_files.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <utility>

#include "audio/replace_file.h"
#include "audio/utf8.h"

namespace drevan {

namespace fs = std::filesystem;

fs::path versions_folder(const fs::path& reel_file) {
  return reel_file.parent_path() / (reel_file.stem().string() + ".versions");
}

fs::path version_file(const fs::path& reel_file, const Clip& clip,
                      const std::set<fs::path>& promised) {
  const auto name = file_name_of(clip.name, "clip", 100);
  for (int n = 1;; ++n) {
    const auto file = fs::absolute(versions_folder(reel_file) /
                                   fmt::format("{} {}, version {}.wav", clip.id, name, n))
                          .lexically_normal();
    std::error_code error;
    if (!fs::exists(fs::symlink_status(file, error)) && !promised.contains(file)) return file;
  }
}

namespace {

fs::path own_folder(const fs::path& reel_file) {
  return fs::absolute(versions_folder(reel_file)).lexically_normal();
}

void copy_to(const fs::path& from, const fs::path& to, const CancelToken* cancel) {
  const int in = ::open(from.c_str(), O_RDONLY | O_CLOEXEC);
  if (in < 0) throw cannot_open(from, errno);
  const std::unique_ptr<const int, decltype([](const int* fd) { ::close(*fd); })> close(&in);
  ReplacementFile out(to, ReplacementFile::Old::kept);
  std::vector<char> buffer(1 << 20);
  while (true) {
    if (cancel) cancel->check();
    const auto n = ::read(in, buffer.data(), buffer.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) throw not_to_its_end(from);
    if (n == 0) break;
    out.write({buffer.data(), static_cast<size_t>(n)});
  }
  out.commit();
}

// A link or copy of `from` in `folder`, under its name or one with a number.
fs::path bring(const fs::path& from, const fs::path& folder, bool& made,
               const CancelToken* cancel) {
  for (int n = 1;; ++n) {
    fs::path to = folder / from.filename();
    if (n > 1)
      to = folder / fmt::format("{}, {}{}", from.stem().string(), n, from.extension().string());
    std::error_code error;
    made = false;
    if (fs::equivalent(from, to, error)) return to;
    if (fs::exists(fs::symlink_status(to, error))) continue;
    made = true;
    if (::link(from.c_str(), to.c_str()) == 0) return to;
    if (errno == EEXIST) continue;
    copy_to(from, to, cancel);
    return to;
  }
}

bool refers_to(const Reel& reel, const fs::path& file) {
  return std::ranges::find(reel.sources, file, &Source::path) != reel.sources.end();
}

}  // namespace

MovedFiles own_version_files(const Reel& reel, const fs::path& reel_file,
                             const CancelToken* cancel) {
  const auto folder = own_folder(reel_file);
  std::set<fs::path> printed;
  for (const auto& clip : reel.clips)
    for (const auto& version : clip.versions) {
      const auto& path = reel.at(version.source).path;
      std::error_code error;
      if (version.id != 0 && path.parent_path() != folder && fs::exists(path, error))
        printed.insert(path);
    }
  MovedFiles moved;
  std::vector<fs::path> fresh;
  try {
    for (const auto& from : printed) {
      make_folder(folder);
      bool made = false;
      moved[from] = bring(from, folder, made, cancel);
      if (made) fresh.push_back(moved[from]);
    }
    if (const int failed = moved.empty() ? 0 : sync_folder(folder); failed != 0)
      throw cannot_write(folder, failed);
  } catch (...) {
    std::error_code error;
    for (const auto& file : fresh) fs::remove(file, error);
    throw;
  }
  return moved;
}

void move_sources(Reel& reel, const MovedFiles& moved) {
  reel.sources.change_where([&](const Source& s) { return moved.contains(s.path); },
                            [&](Source& s) { s.path = moved.at(s.path); });
}

int delete_version_files(std::span<const fs::path> files, const fs::path& reel_file) {
  const auto folder = own_folder(reel_file);
  std::vector<Reel> reels;
  try {
    reels.push_back(load_reel(reel_file));
    for (const auto& entry : fs::directory_iterator(fs::absolute(reel_file).parent_path()))
      if (entry.path().extension() == ".reel" && entry.is_regular_file())
        reels.push_back(load_reel(entry.path()));
  } catch (const std::exception&) {
    return 0;
  }
  int gone = 0;
  for (const auto& file : files) {
    std::error_code error;
    if (file.parent_path() == folder &&
        std::ranges::none_of(reels, [&](const Reel& r) { return refers_to(r, file); }))
      gone += fs::remove(file, error) ? 1 : 0;
  }
  return gone;
}

}  // namespace drevan
