// SPDX-License-Identifier: GPL-3.0-or-later
// Shared by the fuzz targets.
#pragma once

#include <sys/mman.h>
#include <unistd.h>

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

#include "audio/error.h"

namespace drevan::fuzz {

inline std::string text(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

/// A wrong file is told by an Error; anything else that is thrown is a find.
template <class Work>
void must_only_throw_error(Work&& work) {
  try {
    work();
  } catch (const Error&) {
  }
}

/// What was read and written must read back as the same.
inline void require(bool holds) {
  if (!holds) std::abort();
}

/// A folder of this process, on memory where there is some.
inline const std::filesystem::path& folder() {
  static const std::filesystem::path path = [] {
    const std::filesystem::path base =
        std::filesystem::is_directory("/dev/shm") ? "/dev/shm" : "/tmp";
    const auto own = base / ("drevan-fuzz-" + std::to_string(::getpid()));
    std::filesystem::create_directories(own);
    std::atexit([] { std::filesystem::remove_all(folder()); });
    return own;
  }();
  return path;
}

inline void write(const std::filesystem::path& file, const std::string& content) {
  std::ofstream(file, std::ios::binary | std::ios::trunc)
      .write(content.data(), static_cast<std::streamsize>(content.size()));
}

}  // namespace drevan::fuzz
