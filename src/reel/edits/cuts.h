// SPDX-License-Identifier: GPL-3.0-or-later
// Edits that cut clips: ranges of sources change, no sound is written. See reel/edits/edits.h.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "reel/edits/edits.h"

namespace drevan::edits {

/// The shortest clip that a cut leaves, in seconds.
inline constexpr double least_piece_s = 0.01;
/// What a cut fades over, so that it does not click.
inline constexpr double cut_fade_s = 0.002;

/// A piece of a clip.
struct Piece {
  ClipRange range;
  std::string name{};  ///< empty: after the clip
  friend bool operator==(const Piece&, const Piece&) = default;
};

/// Cuts a clip at moments within it. The first piece stays the clip, the others come behind it in
/// order; all keep chain, versions of the clip's own length and what they sit out of, learn from its
/// room tone, and stand where they were heard, also where a step stretches the clip or turns it
/// round. Curves, sends and fades move so that what is heard stays.
Edit split(const Reel& reel, ClipId clip, std::span<const ClipTime> at);
/// The clip becomes these pieces of it, in this order; they may leave sound out and overlap.
Edit cut_into(const Reel& reel, ClipId clip, std::span<const Piece> pieces);
/// Takes a range out: the rest becomes one or two clips. `close_up`: what is heard behind it of the
/// clip moves to where the range was heard, and so do later clips of its group.
Edit take_out(const Reel& reel, ClipId clip, ClipRange range, bool close_up);
/// The clip is this range alone; `keep` may reach beyond it as far as its source does.
Edit trim(const Reel& reel, ClipId clip, ClipRange keep);
/// Makes one clip of neighbours in one source; the first one's name, chain, sends and group stay, all
/// that is said in them comes together. What of the others is lost is told.
Edit join(const Reel& reel, std::span<const ClipId> clips);
/// A copy of each, right behind it in its group; so much later in the reel. A copy of a take that is
/// heard is no take: it stands for itself.
Edit duplicate(const Reel& reel, std::span<const ClipId> clips, ReelSpan later = {});
Edit set_fades(const Reel& reel, ClipId clip, EdgeFade in, EdgeFade out);

}  // namespace drevan::edits
