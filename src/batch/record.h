// SPDX-License-Identifier: GPL-3.0-or-later
// What a folder's batch has done, so that running again does only what changed.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <mutex>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <span>

#include "batch/batch.h"

namespace drevan {

/// Everything a rendered file depends on: the source (path, size, time of change, range, rate), its room
/// tone, the chain with all settings, format and bits.
std::uint64_t render_key(const BatchJob& job, const BatchOptions& options);

/// The file `.drevan-batch.json` in an output folder, a line an event: of each file in it the key it was rendered
/// with, size and time of what was written, and what was measured. It only grows while a batch runs, and is
/// written anew at the beginning of one when most of it is of the past. Thread-safe.
class BatchRecord {
 public:
  /// Reads what is there; what cannot be read counts as nothing. `part` (of a batch that several
  /// machines do, empty: none) has a file of its own, .drevan-batch-PART.json; all are read.
  /// Only who writes it may compact it.
  enum class Use { reading, writing };
  BatchRecord(std::filesystem::path folder, const std::string& part, Use use);

  /// The result of `output` when it was rendered with this key and neither it nor any of `also` was touched since.
  std::optional<JobResult> find(const std::filesystem::path& output,
                                std::span<const std::filesystem::path> also,
                                std::uint64_t key) const;
  /// Whether a batch made the file and nobody touched it since.
  bool made(const std::filesystem::path& file) const;

  /// Keeps a result. A record that cannot be written is no failure: all is rendered again next time.
  void keep(const JobResult& result, std::uint64_t key);
  /// Keeps that a file was made which is no clip: a mix, a stem.
  void keep(const std::filesystem::path& file);

 private:
  struct Entries {                              // by path within the folder
    std::map<std::string, std::string> lines;   // of each first output
    std::map<std::string, std::string> states;  // of each file
  };
  struct Read {
    size_t bytes = 0;
    bool old = false, torn = false;
  };
  static Read read(const std::filesystem::path& file, Entries& into);
  static void take_line(const nlohmann::json& line, Entries& into);
  std::optional<JobResult> result_of(const Entries& entries, const std::filesystem::path& output,
                                     std::span<const std::filesystem::path> also,
                                     std::uint64_t key) const;
  bool is_as_made(const Entries& entries, const std::filesystem::path& file) const;
  std::string within(const std::filesystem::path& file) const;
  void append(const std::string& line);
  void compact() const;

  std::filesystem::path folder_, file_;
  mutable std::mutex mutex_;
  Entries own_, others_;
  bool new_ = false, ends_torn_ = false;  // the file: is not there yet; ends in half a line
};

}  // namespace drevan
