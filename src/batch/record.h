// What a folder's batch has done, so that running again does only what changed.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <mutex>
#include <optional>

#include "batch/batch.h"

namespace drevan {

/// Everything a rendered file depends on: the source (path, size, time of change, range, rate), its room
/// tone, the chain with all settings, format and bits.
std::uint64_t render_key(const BatchJob& job, const BatchOptions& options);

/// The file `.drevan-batch.json` in an output folder: of each file in it the key it was rendered with,
/// its size and time, and what was measured. Thread-safe.
class BatchRecord {
 public:
  /// Reads what is there; what cannot be read counts as nothing. `part` (of a batch that several
  /// machines do, empty: none) has a file of its own, .drevan-batch-PART.json; all are read.
  BatchRecord(std::filesystem::path folder, const std::string& part);

  /// The result of `output` when it was rendered with this key and was not touched since.
  std::optional<JobResult> find(const std::filesystem::path& output, std::uint64_t key) const;
  /// Keeps a result, at once; atomic. A record that cannot be written is no failure: all is rendered
  /// again next time.
  void keep(const JobResult& result, std::uint64_t key);

 private:
  using Entries = std::map<std::string, std::string>;  // by path within the folder, as JSON text
  static void read(const std::filesystem::path& file, Entries& into);
  static std::optional<JobResult> result_of(const Entries& entries, const std::string& name, const std::filesystem::path& output,
                                            std::uint64_t key);

  std::filesystem::path folder_, file_;
  mutable std::mutex mutex_;
  Entries own_, others_;
};

}  // namespace drevan
