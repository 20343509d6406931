// The reel's file: opened, saved, kept by journal and list of edits, brought back.
#include "workspace.h"

#include <fmt/format.h>

#include <QCoreApplication>
#include <QDateTime>
#include <QStandardPaths>

#include "audio/error.h"
#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "batch/batch.h"
#include "reel/history_file.h"
#include "reel/json_file.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {

fs::path unsaved_folder() {
  return fs::path(QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString()) / "drevan" / "unsaved";
}

}  // namespace

// A reel without a name has its journal in Drevan's own folder, from the first edit on.
void Workspace::begin_unsaved() {
  try {
    make_folder(unsaved_folder());
    const auto file = unsaved_folder() / fmt::format("{}-{}.reel", QDateTime::currentMSecsSinceEpoch(), QCoreApplication::applicationPid());
    save_reel(*history_.entries().front().reel, file);
    std::string why;
    unsaved_lock_ = ReelLock::take(file, why);
    unsaved_ = file;
    journal_ = std::make_unique<Journal>(file, read_text(file));
  } catch (const Error& e) {
    if (std::exchange(told_unsaved_, true)) return;
    Q_EMIT message(tr("Edits of this reel are not kept until it is saved: %1").arg(QString::fromUtf8(e.what())), true);
  }
}

void Workspace::end_unsaved() {
  if (unsaved_.empty()) return;
  unsaved_lock_.reset();
  std::error_code error;
  for (const char* ending : {"", ".lock", ".journal"}) fs::remove(unsaved_.string() + ending, error);
  unsaved_.clear();
}

bool Workspace::bring_back_unsaved() {
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(unsaved_folder(), error)) {
    if (entry.path().extension() != ".reel") continue;
    std::string why;
    const auto lock = ReelLock::take(entry.path(), why);
    if (!lock) continue;  // another Drevan works on it
    try {
      const auto found = recover(entry.path());
      const auto remove = [&] {
        for (const char* ending : {"", ".lock", ".journal"}) fs::remove(entry.path().string() + ending, error);
      };
      if (!found || found->reel.clips.empty()) {
        remove();
        continue;
      }
      new_reel();
      edit(found->reel, tr("Bring edits back"));
      Q_EMIT clip_changed();
      // Kept anew by now; the old ones may go.
      if (journal_) journal_->flush();
      remove();
      Q_EMIT message(tr("Drevan did not end properly last time: a reel that had not been saved came back with %1, up to \"%2\". Save it to keep it.")
                         .arg(counted(found->edits, tr("edit")), QString::fromStdString(found->last_label)),
                     false);
      return true;
    } catch (const Error&) {
      // Nothing to be had from it.
    }
  }
  return false;
}

// The list of edits beside the reel, in the background: it may be long.
void Workspace::keep_history(const std::string& saved) {
  history_worker_.start([states = SavedHistory{history_.entries(), history_.at()}, file = file_, saved](const CancelToken&) -> Worker::Finish {
    try {
      save_history(states, file, saved);
    } catch (const Error&) {
      // The reel itself is safe; where its folder cannot be written any more the next save says so.
    }
    return {};
  });
}

// `after_crash`: the edits that came back are edits of what was saved.
void Workspace::bring_history(bool after_crash) {
  history_worker_.start([this, file = file_, after_crash](const CancelToken&) -> Worker::Finish {
    auto found = load_history(file);
    if (!found) return {};
    if (after_crash) found->states.resize(found->at + 1);
    return [this, file, states = std::move(*found)] {
      if (file != file_) return;
      history_.put_before(states.states, states.at);
      Q_EMIT reel_changed();
    };
  });
}

// Whether files are still what they were, by their content; hours of sound take their time.
void Workspace::check_sources() {
  source_worker_.start([this, sources = reel().sources](const CancelToken& cancel) -> Worker::Finish {
    QStringList changed;
    for (const auto& s : sources)
      if (check_source(s, true, &cancel) == SourceState::changed) changed << QString::fromStdString(s.path.filename().string());
    if (changed.isEmpty()) return {};
    return [this, changed] {
      Q_EMIT message(tr("Changed on the disk since the reel was saved: %1. It is measured anew; if another file was meant, use Clip, Find the source.").arg(changed.join(", ")), true);
    };
  });
}

void Workspace::new_reel() {
  leave();
  Reel reel;
  reel.name = "Untitled reel";
  reset(std::move(reel), {});
}

bool Workspace::same_file(const fs::path& file) const {
  std::error_code error;
  return !file_.empty() && (fs::absolute(file).lexically_normal() == fs::absolute(file_).lexically_normal() || fs::equivalent(file, file_, error));
}

// All or nothing: until the other reel is read, locked and has its journal, the one that is open stays so.
bool Workspace::open(const fs::path& file) {
  try {
    const bool again = same_file(file) && lock_;
    Reel reel = load_reel(file);
    std::string why;
    std::optional<ReelLock> lock;
    std::optional<Recovered> found;
    std::unique_ptr<Journal> journal;
    if (!again) {
      lock = ReelLock::take(file, why);
      found = lock ? recover(file) : std::nullopt;
      if (lock) journal = std::make_unique<Journal>(file, read_text(file));
    } else {
      delete_cleared();
      lock = std::move(lock_);  // its own edits are given up
      lock_.reset();
    }
    leave();
    lock_ = std::move(lock);
    if (!lock_) read_only_ = QString::fromStdString(why);
    journal_ = again ? std::make_unique<Journal>(file, read_text(file)) : std::move(journal);
    QStringList lost;
    for (const auto& s : reel.sources)
      if (check_source(s, false) == SourceState::missing)
        lost << QString::fromStdString(s.path.filename().string());
    reset(std::move(reel), file);
    bring_history(found.has_value());
    check_sources();
    if (found) {
      edit(found->reel, tr("Bring edits back"));
      Q_EMIT message(tr("Drevan did not end properly last time: %1 since the last save came back, up to \"%2\". Undo leads to what was saved.")
                         .arg(counted(found->edits, tr("edit")), QString::fromStdString(found->last_label)),
                     false);
    }
    if (!read_only_.isEmpty())
      Q_EMIT message(tr("%1 It was opened for reading; save it under another name to keep changes.").arg(read_only_), true);
    else if (!lock_->guards())
      Q_EMIT message(tr("The folder of %1 knows no locks, so nothing keeps another Drevan from opening it too; make sure that nobody else works on it.").arg(QString::fromStdString(file.filename().string())), true);
    if (!lost.isEmpty())
      Q_EMIT message(tr("%1 missing: %2. Find it again with Clip, Find the source.")
                         .arg(lost.size() == 1 ? tr("A source is") : tr("%1 sources are").arg(lost.size()),
                              lost.join(", ")),
                     true);
    return true;
  } catch (const std::exception& e) {
    tell(e);
    return false;
  }
}

bool Workspace::save(const fs::path& file) {
  const bool same = same_file(file);
  if (same && !read_only_.isEmpty()) {
    Q_EMIT message(tr("%1 Save it under another name.").arg(read_only_), true);
    return false;
  }
  if (is_source(file, source_files(history_.now()))) {
    Q_EMIT message(tr("%1 is a recording of this reel, so the reel cannot be saved in its place. Choose another name.").arg(QString::fromStdString(file.string())), true);
    return false;
  }
  std::optional<ReelLock> lock;
  if (!same) {
    std::string why;
    lock = ReelLock::take(file, why);
    if (!lock) {
      Q_EMIT message(tr("%1 Save it under another name.").arg(QString::fromStdString(why)), true);
      return false;
    }
  }
  try {
    end_preview();
    History next = history_;
    if (file_.empty() && next.now().name == "Untitled reel") {
      Reel named = next.now();
      named.name = to_utf8(file.stem().string());
      next.edit(std::move(named), "Name the reel");
    }
    // Under another name it is another reel, with printed files of its own; so is one that an older Drevan saved.
    const auto moved = own_version_files(next.now(), file);
    if (!moved.empty()) next.change_all([&](Reel& r) { move_sources(r, moved); });
    save_reel(next.now(), file);
    // The new file is safe on the disk; only now what kept its edits may go.
    const auto saved = read_text(file);
    auto journal = std::make_unique<Journal>(file, saved);
    if (journal_) journal_->end();
    end_unsaved();
    journal_ = std::move(journal);
    if (!same) {
      cleared_.clear();  // they lie with the other reel, which may need them
      lock_ = std::move(lock);
      read_only_.clear();
    }
    history_ = std::move(next);
    file_ = file;
    keep_history(saved);
    history_.mark_saved();
    Q_EMIT reel_changed();
    if (!moved.empty()) after_edit();  // its printed files lie elsewhere
    Q_EMIT message(tr("Saved %1").arg(QString::fromStdString(file.filename().string())), false);
    return true;
  } catch (const std::exception& e) {
    tell(e);
    return false;
  }
}

}  // namespace drevan::desktop
