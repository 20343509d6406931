// SPDX-License-Identifier: GPL-3.0-or-later
// The file of an open reel, and what keeps its edits beside it.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "audio/error.h"
#include "reel/history.h"
#include "reel/files/journal.h"
#include "reel/library/lock.h"

namespace drevan {

/// Holds the lock and the journal of the reel that is open. A reel without a name has its journal in a folder of
/// Drevan's own, from the first edit on. For one thread.
class ReelFile {
 public:
  explicit ReelFile(std::filesystem::path unsaved_folder)
      : unsaved_folder_(std::move(unsaved_folder)) {}
  ~ReelFile() { leave(); }
  ReelFile(const ReelFile&) = delete;
  ReelFile& operator=(const ReelFile&) = delete;

  /// A reel that was read, with its lock and journal; nothing of the one that is open was touched.
  struct Opened {
    std::filesystem::path path;
    Reel reel;                       ///< as it was saved
    std::optional<Recovered> found;  ///< edits since, of a Drevan that ended badly
    std::optional<ReelLock> lock;
    std::unique_ptr<Journal> journal;
    std::string read_only;  ///< why it may not be written, in a sentence; empty: it may
    bool again = false;     ///< it is the one that is open: its own edits are given up
  };
  /// Throws Error(input), Error(call).
  Opened open(const std::filesystem::path& file) const;
  /// Leaves the one that is open for this.
  void take(Opened opened);
  /// Leaves the one that is open; the next has no file yet.
  void leave();

  const std::filesystem::path& path() const { return path_; }
  /// Why the reel cannot be saved under its name, in a sentence; empty: it can.
  const std::string& read_only() const { return read_only_; }
  /// Whether another Drevan is kept from opening it.
  bool guards() const { return !lock_ || lock_->guards(); }
  bool is(const std::filesystem::path& file) const;

  /// Every state goes to the disk. Returns a sentence when a reel without a name cannot be kept, once.
  Problem tell(const History& history, const std::string& label);
  /// Why edits could not be kept, once; empty: they were.
  Problem take_problem() { return journal_ ? journal_->take_problem() : Problem{}; }
  void flush();

  struct Saved {
    History history;
    std::string text;    ///< what the file holds
    bool moved = false;  ///< printed files lie elsewhere now
  };
  /// Under its name or another. A reel called "Untitled reel" is named after its first file. What kept its edits
  /// goes only when the file is safe. Throws Error; all is then as it was.
  Saved save(const std::filesystem::path& file, History history);

  /// Files of versions that were cleared; those that nothing refers to go when the reel is left.
  void clear_when_left(std::vector<std::filesystem::path> files);

  /// The edits of a reel that was never saved when Drevan ended badly; empty: there is none. remove_unsaved() when
  /// they are kept anew.
  struct Unsaved {
    Recovered found;
    std::filesystem::path file;
    ReelLock lock;
  };
  std::optional<Unsaved> find_unsaved() const;
  static void remove_unsaved(const std::filesystem::path& file);

 private:
  void begin_unsaved(const History& history);
  void end_unsaved();
  void delete_cleared();

  std::filesystem::path unsaved_folder_, path_;
  std::string read_only_;
  std::optional<ReelLock> lock_;
  std::unique_ptr<Journal> journal_;
  std::filesystem::path
      unsaved_;  // where a reel without a name keeps its journal; empty: it has none
  std::optional<ReelLock> unsaved_lock_;
  bool told_unsaved_ = false;
  std::vector<std::filesystem::path> cleared_;
};

}  // namespace drevan
