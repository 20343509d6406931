// SPDX-License-Identifier: GPL-3.0-or-later
// One clip made of several, which stay in the reel, left out while it stands in their place.
#pragma once

#include <span>
#include <vector>

#include "reel/edits/edits.h"

namespace drevan {

/// The clips that a clip was made of; empty: it was not made.
std::vector<ClipId> made_of(const Reel& reel, ClipId clip);

/// What is rendered into one clip: these clips as they sound among all others of the reel.
struct MakeOne {
  std::vector<ClipId> clips;
  /// The last chain that they go through on their way: their own, where all are of one group, whose
  /// chain their one clip passes as well; else their groups'. The reel's comes behind the one clip.
  ChainOwner last = ChainOwner::clip;
};
/// Throws Error(call): one is not there, or they do not feed the same spaces alike.
MakeOne to_make_one(const Reel& reel, std::span<const ClipId> clips);

namespace edits {

/// The clips are left out from now on; `sound` stands in their place, and feeds the spaces that they
/// fed. It goes to their group, or, where they are of several, to a group of its own.
/// `begin`: where `sound` begins. Throws Error(call): fewer than two, one is left out, and as
/// to_make_one().
Edit make_one(const Reel& reel, std::span<const ClipId> clips, const Source& sound, ReelTime begin);
/// What it was made of has changed: the clip keeps its chain and its place, its sound is `sound`.
Edit make_again(const Reel& reel, ClipId clip, const Source& sound);
/// The clips it was made of come back; it goes.
Edit take_apart(const Reel& reel, ClipId clip);

/// As long as a clip sounds now.
struct SoundingClip {
  ClipId clip = 0;
  HeardSpan length{};
};
/// All become `factor` times as long, and their distances too, about the beginning of the first.
/// Each keeps its pitch unless it is stretched like tape already. Throws as stretch_to(); none is
/// stretched then.
Edit stretch_together(const Reel& reel, std::span<const SoundingClip> clips, double factor);

}  // namespace edits
}  // namespace drevan
