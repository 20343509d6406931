// SPDX-License-Identifier: GPL-3.0-or-later
// The reel that is open: as edited and as shown, its undo, and its file.
#pragma once

#include <QObject>
#include <functional>
#include <map>
#include <memory>

#include "batch/target.h"
#include "reel/change.h"
#include "reel/edits/edits.h"
#include "reel/files/reel_file.h"
#include "work/task_lane.h"

namespace drevan::desktop {

class Notices;

class Document : public QObject {
  Q_OBJECT

 public:
  explicit Document(Notices& notices, QObject* parent = nullptr);
  ~Document() override;

  /// As it is now, or as a preview shows it.
  const Reel& reel() const { return *shared(); }
  std::shared_ptr<const Reel> shared() const;
  const History& history() const { return history_; }
  const std::filesystem::path& file() const { return file_.path(); }
  /// Another one for each reel that is opened or begun.
  int reel_number() const { return reel_number_; }
  /// Why the reel cannot be saved under its name, in a sentence; empty: it can.
  QString read_only() const { return QString::fromStdString(file_.read_only()); }
  bool missing(const Clip& clip) const;
  /// The reel's target; empty when it has none, or one that cannot be read.
  const std::optional<Target>& target() const { return target_; }

  // --- files; these tell when something fails, and return whether it worked ---
  void new_reel();
  bool open(const std::filesystem::path& file);
  bool save(const std::filesystem::path& file);
  /// A reel that was never saved when Drevan ended badly comes back; false: there is none.
  bool bring_back_unsaved();
  /// The reel is left for good: saved, or given up on purpose.
  void leave();

  // --- edits ---
  /// Ends a preview and makes an edit of what the reel is without it. An edit that cannot be made is told, and
  /// false returned.
  bool change(const std::function<edits::Edit(const Reel&)>& edit);
  /// What was dragged is let go: the next edit is one of its own, and what crosses anew is heard.
  void end_merge();
  /// Whether all edits are safe on the disk when it returns; what goes wrong is told.
  bool flush();
  /// Where sound that is recorded or made for the reel goes.
  std::filesystem::path recordings_folder() const;
  void undo();
  void redo();
  /// Goes to any state of history().labels().
  void go_to(int state);
  void set_target(const QString& name_or_file);
  void clear_unused_versions();

  /// What enters a bus (the mix or a space) was rendered into `sum`: part of what is shown, and of
  /// no edit.
  void set_bus_source(ClipId bus, const Source& sum);

  // --- previews ---
  /// Everything shows and plays this until end_preview() or an edit.
  void preview(const std::function<edits::Edit(const Reel&)>& edit);
  void end_preview();
  bool previewing() const { return preview_ != nullptr; }

 Q_SIGNALS:
  /// The reel that was open is left; what is under way for it has no meaning any more.
  void leaving();
  /// Another reel is there; reel_changed() follows.
  void opened();
  /// A step is to be looked at; reel_changed() follows.
  void step_wanted(drevan::StepId step);
  /// A preview begins or has ended: what was selected before it is kept and comes back; reel_changed() follows.
  void preview_begins();
  void preview_ends();
  /// What is shown is another reel than the last one this told of; `change` is what differs.
  void reel_changed(const drevan::Change& change);
  void target_changed();

 private:
  void reset(Reel reel);
  void take(edits::Edit edit);
  void settle_crossings(const Reel& before);
  void keep_journal(const std::string& label);
  void keep_history(const std::string& saved);
  void bring_history(bool after_crash);
  void check_sources();
  void read_target();
  void tell_changed();
  void show_state();
  void tell_opened(const std::vector<std::string>& lost);

  Notices& notices_;
  ReelFile file_;
  History history_;
  std::shared_ptr<const Reel> preview_;
  std::shared_ptr<const Reel> told_;          // the one that reel_changed() told of last
  std::shared_ptr<const Reel> dragged_from_;  // before edits that follow each other
  std::map<ClipId, Source> bus_sources_;
  // The reel with them, and of which that was made.
  mutable std::shared_ptr<const Reel> with_buses_, with_buses_of_, before_with_buses_;
  int reel_number_ = 0;
  std::string target_name_;
  std::optional<Target> target_;
  TaskLane source_lane_{TaskLane::Urgency::background};
  TaskLane history_lane_{TaskLane::Urgency::background};
};

}  // namespace drevan::desktop
