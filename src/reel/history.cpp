#include "reel/history.h"

namespace drevan {

History::History(Reel start) {
  states_.push_back({std::make_shared<const Reel>(std::move(start)), {}, {}});
  saved_ = states_[0].reel;
}

void History::edit(Reel next, std::string label, std::string merge) {
  if (next == now()) return;
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

}  // namespace drevan
