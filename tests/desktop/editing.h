// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of the open work as the pages make them.
#pragma once

#include "work/open_work.h"

namespace drevan::desktop {

/// The step at a place of one of the selected clip's chains; 0: none.
inline StepId step_at(const Work& work, ChainOwner owner, int index) {
  const auto& steps = chain_of(work.document.reel(), *work.selection.clip(), owner).steps;
  return index < static_cast<int>(steps.size()) ? steps[static_cast<size_t>(index)].id : 0;
}

/// An edit of the selected clip: edit(work, edits::remove_step, id).
template <class Make, class... Args>
bool edit(const Work& work, Make make, const Args&... args) {
  return work.document.change(
      [&](const Reel& reel) { return make(reel, work.selection.clip_id(), args...); });
}
/// One that names its clips itself, or none.
template <class Make, class... Args>
bool edit_reel(const Work& work, Make make, const Args&... args) {
  return work.document.change([&](const Reel& reel) { return make(reel, args...); });
}

}  // namespace drevan::desktop
