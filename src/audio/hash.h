// SPDX-License-Identifier: GPL-3.0-or-later
// 64-bit content hashes (XXH3), for findings and for telling whether a source changed.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <type_traits>

#include "audio/id.h"
#include "audio/progress.h"

namespace drevan {

/// Gathers values into one hash. Order matters. Not for secrets.
class Hasher {
 public:
  Hasher();
  ~Hasher();
  Hasher(const Hasher&) = delete;
  Hasher& operator=(const Hasher&) = delete;

  Hasher& bytes(const void* data, std::size_t size);
  Hasher& add(std::string_view text);
  template <class T>
  requires std::is_arithmetic_v<T> Hasher& add(T value) { return bytes(&value, sizeof value); }
  template <class Kind>
  Hasher& add(Id<Kind> id) {
    return add(id.number());
  }
  /// What tells a file from others without reading it: its path, size and time of change.
  Hasher& add_file(const std::filesystem::path& file);
  std::uint64_t value() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Hash of a file's whole content. Throws Error(input) when it cannot be read, Cancelled.
std::uint64_t hash_file(const std::filesystem::path& file, const CancelToken* cancel = nullptr);

/// Hash of a text, as to_hex() writes it.
std::string hex_hash_of(std::string_view text);

/// 16 lower-case hexadecimal digits, and back; from_hex gives 0 for anything else.
std::string to_hex(std::uint64_t value);
std::uint64_t from_hex(std::string_view text);

}  // namespace drevan
