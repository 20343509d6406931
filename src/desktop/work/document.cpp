// SPDX-License-Identifier: GPL-3.0-or-later
#include "work/document.h"

#include <fmt/ranges.h>

#include <QStandardPaths>
#include <QTimer>

#include "audio/error.h"
#include "engine/scene/crossfade.h"
#include "reel/files/history_file.h"
#include "reel/scene/recording.h"
#include "widgets/words.h"
#include "work/notices.h"

namespace drevan::desktop {

namespace fs = std::filesystem;

namespace {

fs::path unsaved_folder() {
  return fs::path(
             QStandardPaths::writableLocation(QStandardPaths::GenericDataLocation).toStdString()) /
         "drevan" / "unsaved";
}

// A list of edits that is being written is waited for: it is short work.
void wait_for(const TaskLane& lane) {
  for (int i = 0; i < 1000 && lane.busy(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
}

}  // namespace

Document::Document(Notices& notices, QObject* parent)
    : QObject(parent), notices_(notices), file_(unsaved_folder()) {
  for (TaskLane* lane : {&source_lane_, &history_lane_})
    connect(lane, &TaskLane::failed, this, [this](const Problem& why) { notices_.warn(why); });
}

Document::~Document() { leave(); }

bool Document::missing(const Clip& clip) const {
  return check_source(reel().source_of(clip), false) == SourceState::missing;
}

std::shared_ptr<const Reel> Document::shared() const {
  auto bare = preview_ ? preview_ : history_.shared();
  if (bus_sources_.empty()) return bare;
  if (with_buses_of_ != bare) {
    // Who looked at the one before may still do so while an edit is told; without such sources the
    // history keeps it alive.
    Reel with = *bare;
    for (const auto& [bus, sum] : bus_sources_) with = with_bus_source(std::move(with), bus, sum);
    before_with_buses_ = std::exchange(with_buses_, std::make_shared<const Reel>(std::move(with)));
    with_buses_of_ = std::move(bare);
  }
  return with_buses_;
}

void Document::set_bus_source(ClipId bus, const Source& sum) {
  bus_sources_[bus] = sum;
  with_buses_of_.reset();
  Change change;
  (bus == mix_clip_id ? change.mix : change.spaces) = true;
  Q_EMIT reel_changed(change);
}

fs::path Document::recordings_folder() const {
  return drevan::recordings_folder(reel(), file(), unsaved_folder() / "recordings");
}

// --- files ---

void Document::reset(Reel reel) {
  source_lane_.cancel();
  preview_.reset();
  dragged_from_.reset();
  bus_sources_.clear();
  with_buses_of_.reset();
  history_ = History(std::move(reel));
  ++reel_number_;
  told_ = history_.shared();
  Q_EMIT opened();
  read_target();
  Q_EMIT reel_changed(Change::everything(*told_));
}

void Document::leave() {
  Q_EMIT leaving();
  wait_for(history_lane_);
  file_.leave();
}

void Document::new_reel() {
  leave();
  Reel reel;
  reel.name = "Untitled reel";
  reset(std::move(reel));
}

bool Document::flush() {
  file_.flush();
  const auto problem = file_.take_problem();
  if (!problem.empty()) notices_.warn(problem);
  return problem.empty();
}

// All or nothing: until the other reel is read, locked and has its journal, the one that is open stays so.
bool Document::open(const fs::path& file) {
  try {
    auto opened = file_.open(file);
    const auto found = std::move(opened.found);
    Reel reel = std::move(opened.reel);
    Q_EMIT leaving();
    wait_for(history_lane_);
    file_.take(std::move(opened));
    std::vector<std::string> lost;
    for (const auto& s : reel.sources)
      if (check_source(s, false) == SourceState::missing)
        lost.push_back(s.path.filename().string());
    reset(std::move(reel));
    bring_history(found.has_value());
    check_sources();
    if (found) {
      take({found->reel, "Bring edits back"});
      notices_.tell(
          tr("Drevan did not end properly last time: %1 since the last save came back, up to "
             "\"%2\". Undo leads to what was saved.")
              .arg(counted(found->edits, tr("edit")), QString::fromStdString(found->last_label)));
    }
    tell_opened(lost);
    return true;
  } catch (const std::exception& e) {
    notices_.warn(e);
    return false;
  }
}

void Document::tell_opened(const std::vector<std::string>& lost) {
  if (!file_.read_only().empty())
    notices_.warn(tr("%1 It was opened for reading; save it under another name to keep changes.")
                      .arg(read_only()));
  else if (!file_.guards())
    notices_.warn(tr("The folder of %1 knows no locks, so nothing keeps another Drevan from "
                     "opening it too; make sure that nobody else works on it.")
                      .arg(QString::fromStdString(file().filename().string())));
  if (!lost.empty())
    notices_.warn(
        tr("%1 missing: %2. Find it again with Clip, Find the source.")
            .arg(lost.size() == 1 ? tr("A source is") : tr("%1 sources are").arg(lost.size()),
                 QString::fromStdString(fmt::format("{}", fmt::join(lost, ", ")))));
}

bool Document::save(const fs::path& file) {
  try {
    end_preview();
    auto saved = file_.save(file, history_);
    history_ = std::move(saved.history);
    keep_history(saved.text);
    history_.mark_saved();
    tell_changed();
    notices_.tell(tr("Saved %1").arg(QString::fromStdString(file.filename().string())));
    return true;
  } catch (const std::exception& e) {
    notices_.warn(e);
    return false;
  }
}

bool Document::bring_back_unsaved() {
  const auto unsaved = file_.find_unsaved();
  if (!unsaved) return false;
  const Recovered& found = unsaved->found;
  new_reel();
  take({found.reel, "Bring edits back"});
  // Kept anew by now; the old ones may go.
  file_.flush();
  ReelFile::remove_unsaved(unsaved->file);
  notices_.tell(
      tr("Drevan did not end properly last time: a reel that had not been saved came back with %1, "
         "up to \"%2\". Save it to keep it.")
          .arg(counted(found.edits, tr("edit")), QString::fromStdString(found.last_label)));
  return true;
}

// The list of edits beside the reel, in the background: it may be long.
void Document::keep_history(const std::string& saved) {
  history_lane_.start([states = SavedHistory{history_.entries(), history_.at()}, file = file(),
                       saved](const CancelToken&) -> TaskLane::Finish {
    try {
      save_history(states, file, saved);
    } catch (const Error&) {
      // The reel itself is safe; where its folder cannot be written any more the next save says so.
    }
    return {};
  });
}

// `after_crash`: the edits that came back are edits of what was saved.
void Document::bring_history(bool after_crash) {
  history_lane_.start([this, file = file(), after_crash](const CancelToken&) -> TaskLane::Finish {
    auto found = load_history(file);
    if (!found) return {};
    if (after_crash) found->states.resize(found->at + 1);
    return [this, file, states = std::move(*found)] {
      if (file != this->file()) return;
      history_.put_before(states.states, states.at);
      tell_changed();
    };
  });
}

// Whether files are still what they were, by their content; hours of sound take their time.
void Document::check_sources() {
  source_lane_.start(
      [this, sources = reel().sources](const CancelToken& cancel) -> TaskLane::Finish {
        QStringList changed;
        for (const auto& s : sources)
          if (check_source(s, true, &cancel) == SourceState::changed)
            changed << QString::fromStdString(s.path.filename().string());
        if (changed.isEmpty()) return {};
        return [this, changed] {
          notices_.warn(tr("Changed on the disk since the reel was saved: %1. It is measured anew; "
                           "if another file was meant, use Clip, Find the source.")
                            .arg(changed.join(", ")));
        };
      });
}

// --- edits ---

namespace {

// What cannot be read is crossed as sounds that have nothing in common.
double alike_or_not(const Reel& reel, const Crossing& crossing) {
  try {
    return alike_where_they_cross(reel, crossing);
  } catch (const Error&) {
    return 0;
  }
}

}  // namespace

// How alike clips are that cross anew is part of the same edit: it is known with the edit, or when
// what was dragged is let go.
void Document::settle_crossings(const Reel& before) {
  Reel next = history_.now();
  if (edits::settle_alike(next, before, alike_or_not)) history_.amend(std::move(next));
}

void Document::end_merge() {
  history_.end_merge();
  const auto before = std::exchange(dragged_from_, nullptr);
  if (!before || preview_) return;
  const auto was = history_.shared();
  settle_crossings(*before);
  if (history_.shared() == was) return;
  keep_journal(history_.undo_label());
  tell_changed();
}

void Document::take(edits::Edit edit) {
  preview_.reset();
  const auto before = dragged_from_ ? dragged_from_ : history_.shared();
  history_.edit(std::move(edit.next), edit.label, edit.merge);
  dragged_from_ = edit.merge.empty() ? nullptr : before;
  if (!dragged_from_) settle_crossings(*before);
  keep_journal(edit.label);
  if (edit.step != 0) Q_EMIT step_wanted(edit.step);
  read_target();
  tell_changed();
  if (!edit.told.empty()) notices_.tell(QString::fromStdString(edit.told));
}

bool Document::change(const std::function<edits::Edit(const Reel&)>& edit) {
  end_preview();
  try {
    take(edit(history_.now()));
    return true;
  } catch (const Error& e) {
    notices_.warn(e);
    return false;
  }
}

// Every state goes to the disk, undone or not; what goes wrong there is told a moment later.
void Document::keep_journal(const std::string& label) {
  if (const auto problem = file_.tell(history_, label); !problem.empty()) notices_.warn(problem);
  QTimer::singleShot(400, this, [this] {
    if (const auto problem = file_.take_problem(); !problem.empty()) notices_.warn(problem);
  });
}

void Document::tell_changed() {
  const auto now = preview_ ? preview_ : history_.shared();
  const auto before = std::exchange(told_, now);
  Q_EMIT reel_changed(before ? difference(*before, *now) : Change::everything(*now));
}

void Document::show_state() {
  read_target();
  tell_changed();
}

void Document::undo() {
  end_preview();
  const auto label = QString::fromStdString(history_.undo_label());
  history_.undo();
  keep_journal(tr("Undo: %1").arg(label).toStdString());
  show_state();
  notices_.tell(tr("Undone: %1").arg(label));
}

void Document::redo() {
  end_preview();
  const auto label = QString::fromStdString(history_.redo_label());
  history_.redo();
  keep_journal(label.toStdString());
  show_state();
  notices_.tell(tr("Done again: %1").arg(label));
}

void Document::go_to(int state) {
  end_preview();
  history_.go_to(static_cast<size_t>(state));
  keep_journal("Go back in the list");
  show_state();
}

void Document::set_target(const QString& name_or_file) {
  const auto target = name_or_file.toStdString();
  if (target == history_.now().target) return;
  change([&](const Reel& reel) {
    if (!target.empty()) find_target(target);  // told, when there is no such one
    return edits::set_target(reel, target);
  });
}

void Document::read_target() {
  if (reel().target == target_name_) return;
  target_name_ = reel().target;
  target_.reset();
  try {
    if (!target_name_.empty()) target_ = find_target(target_name_);
  } catch (const Error& e) {
    notices_.warn(e);
  }
  Q_EMIT target_changed();
}

void Document::clear_unused_versions() {
  const auto unused = unused_versions(history_.now());
  if (unused.empty()) return;
  std::vector<fs::path> files;
  for (const auto& u : unused) {
    const Version& version = *find_version(*history_.now().find(u.clip), u.version);
    files.push_back(history_.now().at(version.source).path);
  }
  if (change(edits::clear_unused_versions)) file_.clear_when_left(std::move(files));
}

// --- previews ---

void Document::preview(const std::function<edits::Edit(const Reel&)>& edit) {
  try {
    Reel shown = edit(history_.now()).next;
    if (share(shown, *(preview_ ? preview_ : history_.shared())).nothing()) return;
    auto next = std::make_shared<const Reel>(std::move(shown));
    if (!preview_) Q_EMIT preview_begins();
    preview_ = std::move(next);
    tell_changed();
  } catch (const Error& e) {
    notices_.warn(e);
  }
}

void Document::end_preview() {
  if (!preview_) return;
  preview_.reset();
  Q_EMIT preview_ends();
  tell_changed();
}

}  // namespace drevan::desktop
