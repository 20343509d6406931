// SPDX-License-Identifier: GPL-3.0-or-later
// The list of edits beside its reel, so that undo outlives closing.
#pragma once

#include <filesystem>
#include <optional>

#include "reel/history.h"

namespace drevan {

/// Some of a history's states in order; `at` is the one that is now.
struct SavedHistory {
  std::vector<History::Entry> states;
  size_t at = 0;
};

/// NAME.reel.history.
std::filesystem::path history_file_of(const std::filesystem::path& reel_file);

/// Writes the newest states, at most 100 before and after the one that is now, as the first of them whole
/// and what changed from each to the next (docs/formats.md). `saved`: the reel file's text, by which
/// the file is known to belong to it. Atomic. Throws Error(output).
void save_history(const SavedHistory& history, const std::filesystem::path& reel_file,
                  const std::string& saved);

/// Empty when there is none, when it belongs to another state of the reel, or when anything in it is
/// wrong: a list of edits is never worth half of itself. It ends before states that need printed files
/// which are gone. Does not throw.
std::optional<SavedHistory> load_history(const std::filesystem::path& reel_file) noexcept;

}  // namespace drevan
