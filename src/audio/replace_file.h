// SPDX-License-Identifier: GPL-3.0-or-later
// A file that is written beside its goal and takes its name only when all of it is on the disk.
#pragma once

#include <filesystem>
#include <string_view>

#include "audio/error.h"

namespace drevan {

/// Keeps to the rules of fsync(2): the file is synced, renamed into place, then its folder is synced, and the
/// result of each is heeded. Until commit() the old file, if any, is untouched; a writer that fails, is
/// dropped or killed leaves nothing under the goal's name. Where the goal is a symbolic link the file it
/// points at is replaced, not the link. An old file's mode stays, and its owner where that is allowed.
class ReplacementFile {
 public:
  enum class Old {
    replaced,
    kept,  ///< commit() fails where a file of this name has come meanwhile
  };

  /// Makes the hidden file, ".drevan-PID-N.part". Throws Error(output).
  explicit ReplacementFile(std::filesystem::path goal, Old old = Old::replaced);
  ~ReplacementFile();
  ReplacementFile(const ReplacementFile&) = delete;
  ReplacementFile& operator=(const ReplacementFile&) = delete;

  /// Open for reading and writing until commit(); not to be closed.
  int descriptor() const { return fd_; }
  const std::filesystem::path& part() const { return part_; }
  /// Throws Error(output).
  void write(std::string_view text);
  /// Syncs and renames. Throws Error(output); the goal then has its old content, or, when only its folder
  /// could not be synced, the new one.
  void commit();

 private:
  [[noreturn]] void fail(int error) const;

  std::filesystem::path goal_, target_, part_;  // target: the goal, or what it links to
  Old old_;
  int fd_ = -1;
};

/// Why a file could not be written, from an errno, with the remedy: a full disk, no rights, or as the system
/// says it.
Error cannot_write(const std::filesystem::path& file, int error);

/// Writes all of a text, beginning again after interruptions. Returns 0 or an errno.
int write_all(int descriptor, std::string_view text);

/// Makes what was made, renamed or removed in a folder last. Returns 0 or an errno; file systems that know no
/// such thing count as done.
int sync_folder(const std::filesystem::path& folder);

/// Makes a folder with all above it that are missing, to last. Throws Error(output).
void make_folder(const std::filesystem::path& folder);

}  // namespace drevan
