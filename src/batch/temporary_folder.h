// SPDX-License-Identifier: GPL-3.0-or-later
// A folder for what is only needed on the way.
#pragma once

#include <fmt/format.h>
#include <unistd.h>

#include <filesystem>
#include <string_view>

#include "audio/replace_file.h"

namespace drevan {

/// Hidden, beside what is made. Gone with its owner, and all that is in it.
class TemporaryFolder {
 public:
  /// Throws Error(output).
  TemporaryFolder(const std::filesystem::path& beside, std::string_view what)
      : path_(beside / fmt::format(".drevan-{}-{}", what, ::getpid())) {
    make_folder(path_);
  }
  ~TemporaryFolder() {
    std::error_code error;
    std::filesystem::remove_all(path_, error);
  }
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace drevan
