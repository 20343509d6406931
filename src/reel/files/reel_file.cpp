// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/reel_file.h"

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "reel/library/source_files.h"
#include "reel/library/version_files.h"

namespace drevan {

namespace fs = std::filesystem;

bool ReelFile::is(const fs::path& file) const {
  std::error_code error;
  if (path_.empty()) return false;
  return fs::absolute(file).lexically_normal() == fs::absolute(path_).lexically_normal() ||
         fs::equivalent(file, path_, error);
}

ReelFile::Opened ReelFile::open(const fs::path& file) const {
  Opened out{file, load_reel(file), {}, {}, {}, {}, is(file) && lock_};
  if (out.again) return out;
  out.lock = ReelLock::take(file, out.read_only);
  if (!out.lock) return out;
  out.read_only.clear();
  out.found = recover(file);
  out.journal =
      std::make_unique<Journal>(file, read_text(file), std::make_shared<const Reel>(out.reel));
  return out;
}

void ReelFile::take(Opened opened) {
  if (opened.again) {
    delete_cleared();
    opened.lock = std::move(lock_);
    lock_.reset();
  }
  leave();
  path_ = opened.path;
  lock_ = std::move(opened.lock);
  read_only_ = std::move(opened.read_only);
  journal_ =
      opened.again ? std::make_unique<Journal>(path_, read_text(path_)) : std::move(opened.journal);
}

void ReelFile::leave() {
  if (lock_) delete_cleared();
  cleared_.clear();
  if (journal_) journal_->end();
  journal_.reset();
  end_unsaved();
  lock_.reset();
  read_only_.clear();
  path_.clear();
}

void ReelFile::flush() {
  if (journal_) journal_->flush();
}

Problem ReelFile::tell(const History& history, const std::string& label) {
  Problem problem;
  if (!journal_ && path_.empty()) {
    try {
      begin_unsaved(history);
    } catch (const Error& e) {
      if (!std::exchange(told_unsaved_, true)) {
        problem = problem_of(e);
        problem.text.insert(0, "Edits of this reel are not kept until it is saved: ");
      }
    }
  }
  if (journal_) journal_->tell(history.shared(), label);
  return problem;
}

void ReelFile::begin_unsaved(const History& history) {
  make_folder(unsaved_folder_);
  const auto now = std::chrono::duration_cast<std::chrono::milliseconds>(
                       std::chrono::system_clock::now().time_since_epoch())
                       .count();
  const auto file = unsaved_folder_ / fmt::format("{}-{}.reel", now, ::getpid());
  const auto first = history.entries().front().reel;
  save_reel(*first, file);
  std::string why;
  unsaved_lock_ = ReelLock::take(file, why);
  unsaved_ = file;
  journal_ = std::make_unique<Journal>(file, read_text(file), first);
}

void ReelFile::remove_unsaved(const fs::path& file) {
  std::error_code error;
  for (const char* ending : {"", ".lock", ".journal"}) fs::remove(file.string() + ending, error);
}

void ReelFile::end_unsaved() {
  if (unsaved_.empty()) return;
  unsaved_lock_.reset();
  remove_unsaved(unsaved_);
  unsaved_.clear();
}

std::optional<ReelFile::Unsaved> ReelFile::find_unsaved() const {
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(unsaved_folder_, error)) {
    if (entry.path().extension() != ".reel") continue;
    std::string why;
    auto lock = ReelLock::take(entry.path(), why);
    if (!lock) continue;  // another Drevan works on it
    try {
      auto found = recover(entry.path());
      if (found && !found->reel.clips.empty())
        return Unsaved{std::move(*found), entry.path(), std::move(*lock)};
      remove_unsaved(entry.path());
    } catch (const Error&) {
      // Nothing to be had from it.
    }
  }
  return std::nullopt;
}

ReelFile::Saved ReelFile::save(const fs::path& file, History history) {
  const bool same = is(file);
  const auto other_name = [&](const std::string& why) {
    return Error(Error::Kind::output, Cause::open_elsewhere,
                 fmt::format("{} Save it under another name.", why), file);
  };
  if (same && !read_only_.empty()) throw other_name(read_only_);
  if (is_source(file, source_files(history.now())))
    throw Error(Error::Kind::output,
                fmt::format("{} is a recording of this reel, so the reel cannot be saved in its "
                            "place. Choose another name.",
                            file.string()),
                file);
  std::optional<ReelLock> lock;
  std::string why;
  if (!same && !(lock = ReelLock::take(file, why))) throw other_name(why);
  if (path_.empty() && history.now().name == "Untitled reel") {
    Reel named = history.now();
    named.name = to_utf8(file.stem().string());
    history.edit(std::move(named), "Name the reel");
  }
  // Under another name it is another reel, with printed files of its own; so is one that an older Drevan saved.
  const auto moved = own_version_files(history.now(), file);
  if (!moved.empty()) history.change_all([&](Reel& r) { move_sources(r, moved); });
  save_reel(history.now(), file);
  // The new file is safe on the disk; only now what kept its edits may go.
  Saved out{std::move(history), read_text(file), !moved.empty()};
  auto journal = std::make_unique<Journal>(file, out.text, out.history.shared());
  if (journal_) journal_->end();
  end_unsaved();
  journal_ = std::move(journal);
  if (!same) {
    cleared_.clear();  // they lie with the other reel, which may need them
    lock_ = std::move(lock);
    read_only_.clear();
  }
  path_ = file;
  return out;
}

void ReelFile::clear_when_left(std::vector<fs::path> files) {
  cleared_.insert(cleared_.end(), files.begin(), files.end());
}

void ReelFile::delete_cleared() {
  if (!cleared_.empty() && !path_.empty()) delete_version_files(cleared_, path_);
  cleared_.clear();
}

}  // namespace drevan
