// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/hash.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <charconv>
#include <cstdio>
#include <vector>

#include "audio/error.h"

namespace drevan {

struct Hasher::State {
  XXH3_state_t* xxh = XXH3_createState();
  ~State() { XXH3_freeState(xxh); }
  State() { XXH3_64bits_reset(xxh); }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
};

Hasher::Hasher() : state_(std::make_unique<State>()) {}
Hasher::~Hasher() = default;

Hasher& Hasher::bytes(const void* data, std::size_t size) {
  XXH3_64bits_update(state_->xxh, data, size);
  return *this;
}

Hasher& Hasher::add(std::string_view text) {
  // The length keeps "ab"+"c" and "a"+"bc" apart.
  return add(text.size()).bytes(text.data(), text.size());
}

Hasher& Hasher::add_file(const std::filesystem::path& file) {
  std::error_code error;
  const auto size = std::filesystem::file_size(file, error);
  const auto time = std::filesystem::last_write_time(file, error).time_since_epoch().count();
  return add(std::filesystem::absolute(file, error).string()).add(size).add(time);
}

std::uint64_t Hasher::value() const { return XXH3_64bits_digest(state_->xxh); }

std::uint64_t hash_file(const std::filesystem::path& file, const CancelToken* cancel) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> in(std::fopen(file.c_str(), "rb"), std::fclose);
  if (!in) throw cannot_open(file, errno);
  Hasher hasher;
  std::vector<char> buffer(1 << 20);
  for (size_t got = 0; (got = std::fread(buffer.data(), 1, buffer.size(), in.get())) > 0;) {
    if (cancel) cancel->check();
    hasher.bytes(buffer.data(), got);
  }
  if (std::ferror(in.get())) throw not_to_its_end(file);
  return hasher.value();
}

std::string hex_hash_of(std::string_view text) { return to_hex(Hasher().add(text).value()); }

std::string to_hex(std::uint64_t value) { return fmt::format("{:016x}", value); }

std::uint64_t from_hex(std::string_view text) {
  std::uint64_t value = 0;
  const auto* end = text.data() + text.size();
  const auto [at, error] = std::from_chars(text.data(), end, value, 16);
  return error == std::errc{} && at == end ? value : 0;
}

}  // namespace drevan
