// SPDX-License-Identifier: GPL-3.0-or-later
// Every edit on disk within a second, so that a crash or a power cut loses nothing.
#pragma once

#include <condition_variable>
#include <filesystem>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>

#include "audio/error.h"
#include "reel/reel.h"

namespace drevan {

/// Writes what happens to a reel since it was saved beside its file, as NAME.reel.journal: one line an
/// edit (docs/formats.md), each with its own checksum, synced to the disk. Works on a thread of its own;
/// of edits that come within a fifth of a second the newest is kept. Public functions are for one thread
/// and, but for flush(), return at once.
class Journal {
 public:
  /// Begins anew for a reel whose file holds `saved`, which was read as, or written from, `reel`
  /// (nullptr: it is read here). An older journal is replaced with the first line.
  Journal(std::filesystem::path reel_file, std::string saved,
          std::shared_ptr<const Reel> reel = nullptr);
  /// Waits for what was told.
  ~Journal();
  Journal(const Journal&) = delete;
  Journal& operator=(const Journal&) = delete;

  /// The reel is now this; `label` says by what.
  void tell(std::shared_ptr<const Reel> now, std::string label);
  /// Returns when all that was told is on the disk.
  void flush();
  /// The reel was saved, or its edits were given up: the journal goes. Nothing may be told afterwards.
  void end();
  /// Why edits could not be kept, once; empty: they were.
  Problem take_problem();

  static std::filesystem::path file_of(const std::filesystem::path& reel_file);

 private:
  struct Writer;
  void give_up(Problem why);
  void work(const std::stop_token& stop);

  std::unique_ptr<Writer> writer_;
  std::mutex mutex_;
  std::condition_variable_any wake_, done_;
  std::shared_ptr<const Reel> next_;
  bool ended_ = false;  // the thread: something was thrown that nobody foresaw
  std::string label_;
  Problem problem_;
  bool busy_ = false, hurry_ = false;
  std::jthread thread_;
};

/// What a journal brings back.
struct Recovered {
  Reel reel;
  int edits = 0;           ///< since the reel was saved
  std::string last_label;  ///< of the newest
};

/// Reads the journal beside a reel. Empty when there is none, when it holds no edits, or when it belongs
/// to another state of the file than the one that is there. A line that was cut off, and what follows
/// it, is left out. Throws Error(input) when the reel itself cannot be read.
std::optional<Recovered> recover(const std::filesystem::path& reel_file);

}  // namespace drevan
