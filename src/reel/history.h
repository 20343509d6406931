// SPDX-License-Identifier: GPL-3.0-or-later
// Undo and redo: whole reels, since a reel is a small value.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "reel/reel.h"

namespace drevan {

/// The reel now, and every state before and after it that can be gone back to.
class History {
 public:
  explicit History(Reel start = {});

  const Reel& now() const { return *states_[at_].reel; }
  std::shared_ptr<const Reel> shared() const { return states_[at_].reel; }

  /// A new state. `label` says what was done ("Add compressor"). An edit with the same non-empty
  /// `merge` key as the one before replaces it: a drag is one undo step. No change, no state. New steps get ids.
  void edit(Reel next, std::string label, std::string merge = {});
  /// What is now becomes this, as part of the edit that led to it.
  void amend(Reel next);
  /// The next edit starts a new undo step, whatever its key: a drag has ended.
  void end_merge() { states_[at_].merge.clear(); }

  bool can_undo() const { return at_ > 0; }
  bool can_redo() const { return at_ + 1 < states_.size(); }
  /// What undo() or redo() would take back or bring again; empty when nothing.
  std::string undo_label() const { return can_undo() ? states_[at_].label : ""; }
  std::string redo_label() const { return can_redo() ? states_[at_ + 1].label : ""; }
  void undo();
  void redo();

  /// A state and what was done to reach it.
  struct Entry {
    std::shared_ptr<const Reel> reel;
    std::string label;
  };
  std::vector<Entry> entries() const;
  /// States of an earlier sitting: those before `at` come before the oldest one here, which is
  /// entries[at] itself; those after it are there for redo, unless something was edited since.
  void put_before(const std::vector<Entry>& entries, size_t at);

  /// What was done to reach each state, the oldest first; the first has none.
  std::vector<std::string> labels() const;
  /// The state that is now, counted as in labels().
  size_t at() const { return at_; }
  /// Goes to any state.
  void go_to(size_t state);
  /// Changes every state alike, as no edit: where files lie, say. States that do not change stay shared.
  void change_all(const std::function<void(Reel&)>& change);

  void mark_saved() { saved_ = states_[at_].reel; }
  bool changed() const { return !saved_ || *saved_ != now(); }

 private:
  struct State {
    std::shared_ptr<const Reel> reel;
    std::string label, merge;
  };
  static constexpr size_t most_states = 500;

  std::vector<State> states_;
  size_t at_ = 0;
  std::shared_ptr<const Reel> saved_;
};

}  // namespace drevan
