// One clip made of several, which stay in the reel, left out while it stands in their place.
#pragma once

#include <span>
#include <vector>

#include "reel/edits.h"

namespace drevan {

/// The clips that a clip was made of; empty: it was not made.
std::vector<int> made_of(const Reel& reel, int clip);

/// What is rendered into one: these clips alone, from the beginning of the first on, into no space.
/// Clips of one group without its chain, which their one clip passes as well; those of several with
/// their groups' chains. The reel's chain comes behind the one clip. Throws Error(call): fewer than
/// two, or one is left out.
Reel to_make_one(const Reel& reel, std::span<const int> clips);

namespace edits {

/// The clips are left out from now on; `sound` stands in their place, from the first one's beginning.
/// It goes to their group, or, where they are of several, to a group of its own.
Edit make_one(const Reel& reel, std::span<const int> clips, const Source& sound);
/// What it was made of has changed: the clip keeps its chain and its place, its sound is `sound`.
Edit make_again(const Reel& reel, int clip, const Source& sound);
/// The clips it was made of come back; it goes.
Edit take_apart(const Reel& reel, int clip);

/// As long as a clip sounds now, in seconds.
struct SoundingClip {
  int clip = 0;
  double seconds = 0;
};
/// All become `factor` times as long, and their distances too, about the beginning of the first.
/// Each keeps its pitch unless it is stretched like tape already. Throws as stretch_to(); none is
/// stretched then.
Edit stretch_together(const Reel& reel, std::span<const SoundingClip> clips, double factor);

}  // namespace edits
}  // namespace drevan
