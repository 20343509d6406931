// Clips of one row that lie on each other: crossfaded, or layered.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "audio/sound.h"
#include "reel/edits.h"

namespace drevan {

/// A clip as it sounds in the reel: for how long, and where its own moments come in that.
struct SoundingLength {
  double seconds = 0;
  TimeMap from_clip{};
};
using LengthOf = std::function<SoundingLength(const Clip&)>;

/// Two clips of a row, of which one ends within the other.
struct Crossing {
  int before = 0, after = 0;      ///< by id
  double begin_s = 0, end_s = 0;  ///< of the reel: from where `after` begins to where `before` ends
  double out_s = 0, in_s = 0;     ///< the same in the clips' own seconds, as they are faded
  double alike = 0;               ///< see alike_where_they_cross()
};

/// Where `clip` and its row's other clips cross that are heard. None where one lies within the
/// other, where either is layered, or where they are longer than longest_fade_s on each other.
std::vector<Crossing> crossings_of(const Reel& reel, int clip, const LengthOf& length);
/// The crossing between two clips that are crossfaded, as its fades say; empty: they are not.
std::optional<Crossing> crossed(const Reel& reel, int before, int after, const LengthOf& length);

namespace edits {

/// After `edit`, which moved, trimmed or stretched clips: what crosses is crossfaded, what was
/// crossfaded and does not cross any more begins and ends as it is. `alike` tells of a crossing.
/// `length` is asked for clips of edit.next.
Edit settle_crossings(Edit edit, std::span<const int> clips, const LengthOf& length,
                      const std::function<double(const Reel&, const Crossing&)>& alike);
/// After `edit`, which took clips out: what was crossfaded with one of them begins and ends as it is.
Edit clear_crossings(Edit edit, const LengthOf& length);
/// Where both are equal, as a share of the crossfade's length. Drags are one edit.
Edit set_middle(const Reel& reel, int before, int after, double middle);
/// The clip sounds along with those that it overlaps, with all of its beginning and end: its
/// crossfades go. Or no longer; settle_crossings() then does the rest.
Edit set_layered(const Reel& reel, int clip, bool layered, const LengthOf& length);

}  // namespace edits
}  // namespace drevan
