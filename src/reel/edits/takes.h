// SPDX-License-Identifier: GPL-3.0-or-later
// Several clips as takes of one line: one is chosen, the others stay and are left out.
#pragma once

#include <set>
#include <span>
#include <vector>

#include "reel/edits/edits.h"

namespace drevan {

/// The takes of a clip's line, itself among them, as they stand in the reel; empty: it is no take.
std::vector<ClipId> takes_of(const Reel& reel, const Clip& clip);
/// Whether it is neither rendered nor summed: another take of its line is chosen, or the clip that
/// it was made into stands in its place.
bool left_out(const Reel& reel, const Clip& clip);
/// The same for all clips of a reel, which must outlive it: looked up once.
class LeftOut {
 public:
  explicit LeftOut(const Reel& reel);
  bool operator()(const Clip& clip) const;

 private:
  std::set<ClipId> ids_;  // clips there are
  std::set<int> lines_;   // those of which a take is chosen
};
/// The ids of all clips that are not.
std::vector<ClipId> rendered_clips(const Reel& reel);

namespace edits {

/// The first is chosen. Clips that were takes of other lines leave these.
Edit make_takes(const Reel& reel, std::span<const ClipId> clips);
Edit choose_take(const Reel& reel, ClipId clip);
/// Each stands for itself again.
Edit part_takes(const Reel& reel, std::span<const ClipId> clips);

}  // namespace edits
}  // namespace drevan
