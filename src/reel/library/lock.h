// SPDX-License-Identifier: GPL-3.0-or-later
// One writer for each reel.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace drevan {

/// Held for as long as a reel is open for writing, by a lock on NAME.reel.lock that the system gives
/// free when the program ends, however it ends. Movable.
class ReelLock {
 public:
  /// Empty when another program holds it, or none can be made; `why` then tells which, in a sentence. Where the
  /// file system knows no locks it is taken without one; see guards().
  static std::optional<ReelLock> take(const std::filesystem::path& reel_file, std::string& why);
  ~ReelLock();
  /// Whether it keeps another Drevan out.
  bool guards() const { return !file_.empty(); }
  ReelLock(ReelLock&& other) noexcept;
  ReelLock& operator=(ReelLock&& other) noexcept;

 private:
  ReelLock(std::filesystem::path file, int fd) : file_(std::move(file)), fd_(fd) {}
  std::filesystem::path file_;
  int fd_ = -1;
};

}  // namespace drevan
