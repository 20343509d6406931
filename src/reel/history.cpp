// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/history.h"

#include "reel/change.h"

namespace drevan {

History::History(Reel start) {
  settle_step_ids(start);
  states_.push_back({std::make_shared<const Reel>(std::move(start)), {}, {}});
  saved_ = states_[0].reel;
}

void History::edit(Reel next, std::string label, std::string merge) {
  const Change change = share(next, now());
  if (change.nothing()) return;
  if (may_bring_steps(change, now(), next)) settle_step_ids(next);
  states_.resize(at_ + 1);
  auto reel = std::make_shared<const Reel>(std::move(next));
  if (!merge.empty() && at_ > 0 && states_[at_].merge == merge) {
    states_[at_].reel = std::move(reel);
    return;
  }
  states_.push_back({std::move(reel), std::move(label), std::move(merge)});
  if (states_.size() > most_states) states_.erase(states_.begin());
  at_ = states_.size() - 1;
}

void History::amend(Reel next) {
  if (share(next, now()).nothing()) return;
  const bool was_saved = saved_ == states_[at_].reel;
  states_[at_].reel = std::make_shared<const Reel>(std::move(next));
  if (was_saved) saved_ = states_[at_].reel;
}

void History::undo() {
  if (!can_undo()) return;
  --at_;
  end_merge();
}

void History::redo() {
  if (!can_redo()) return;
  ++at_;
  end_merge();
}

std::vector<History::Entry> History::entries() const {
  std::vector<Entry> out;
  for (const auto& s : states_) out.push_back({s.reel, s.label});
  return out;
}

void History::put_before(const std::vector<Entry>& entries, size_t at) {
  if (at >= entries.size()) return;
  if (states_.size() == 1)
    for (size_t i = at + 1; i < entries.size(); ++i)
      states_.push_back({entries[i].reel, entries[i].label, {}});
  states_[0].label = entries[at].label;
  std::vector<State> before;
  for (size_t i = 0; i < at; ++i) before.push_back({entries[i].reel, entries[i].label, {}});
  states_.insert(states_.begin(), before.begin(), before.end());
  at_ += at;
}

std::vector<std::string> History::labels() const {
  std::vector<std::string> out;
  for (const auto& s : states_) out.push_back(s.label);
  return out;
}

void History::change_all(const std::function<void(Reel&)>& change) {
  for (auto& state : states_) {
    Reel next = *state.reel;
    change(next);
    if (share(next, *state.reel).nothing()) continue;
    auto changed = std::make_shared<const Reel>(std::move(next));
    if (saved_ == state.reel) saved_ = changed;
    state.reel = std::move(changed);
  }
}

void History::go_to(size_t state) {
  if (state >= states_.size() || state == at_) return;
  at_ = state;
  end_merge();
}

}  // namespace drevan
