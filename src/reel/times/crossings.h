// SPDX-License-Identifier: GPL-3.0-or-later
// Clips of one row that lie on each other: who goes over into whom is told by where they lie. No
// edit needs to remember it.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <span>
#include <vector>

#include "reel/times/clip_times.h"
#include "reel/edits/edits.h"

namespace drevan {

/// Two clips of a row, of which one ends within the other.
struct Crossing {
  ClipId before = 0, after = 0;  ///< by id
  ReelRange over{};              ///< from where `after` begins to where `before` ends
  ClipSpan out{},
      in{};  ///< the same by the clips' own clocks: the end of one, the beginning of the other
  double alike = 0;                ///< see Crossfade; 0 where it is not known yet
  double middle = middle_of_fade;  ///< see Crossfade
  friend bool operator==(const Crossing&, const Crossing&) = default;
};

/// Who goes over into whom: clips of one group that are heard, neither of them layered, one ending
/// within the other, over at most longest_fade_s. None where one lies within the other, or is heard
/// backwards. An end goes over into one beginning: of several the one that begins last before it.
class Crossings {
 public:
  /// Of all rows, or of one.
  explicit Crossings(const Reel& reel, std::optional<GroupId> group = std::nullopt);
  /// What the clip's beginning, or its end, goes over from or into; nullptr: nothing.
  const Crossing* into(ClipId clip) const { return find(into_, clip); }
  const Crossing* out_of(ClipId clip) const { return find(out_of_, clip); }
  const std::vector<Crossing>& all() const& { return all_; }
  const std::vector<Crossing>& all() const&& = delete;  // it would be gone
  std::vector<Crossing> take() && { return std::move(all_); }

 private:
  using Index = std::map<ClipId, size_t>;  // into all_, by the clip
  const Crossing* find(const Index& index, ClipId clip) const {
    const auto at = index.find(clip);
    return at == index.end() ? nullptr : &all_[at->second];
  }
  void add_row(const Reel& reel, std::vector<const Clip*> row);
  bool add(const Reel& reel, const Clip& before, const ClipTimes& going, const Clip& after,
           const ClipTimes& coming);

  std::vector<Crossing> all_;
  Index into_, out_of_;
};

/// What is known of a pair; nullptr: nothing yet.
const Crossfade* find_crossfade(const Reel& reel, ClipId before, ClipId after);
/// Puts it in the place of what was known.
void put_crossfade(Reel& reel, const Crossfade& known);

namespace edits {

/// Clips of a row that lie on each other in a reel of a time when that said nothing: those that were
/// not crossfaded are layered. `crossed`: which were.
void keep_as_layered(Reel& reel, const std::function<bool(ClipId before, ClipId after)>& crossed);

/// After an edit: of what crosses in `next` otherwise than in `before`, or was not known yet, `alike`
/// tells how alike the two are. Returns whether anything was told anew.
bool settle_alike(Reel& next, const Reel& before,
                  const std::function<double(const Reel&, const Crossing&)>& alike);

/// Where both are equal, as a share of the crossfade's length. Drags are one edit. Throws Error(call)
/// where they do not cross.
Edit set_middle(const Reel& reel, ClipId before, ClipId after, double middle);
/// The clip sounds along with those that it overlaps, with all of its beginning and end. Or no longer.
Edit set_layered(const Reel& reel, ClipId clip, bool layered);

}  // namespace edits
}  // namespace drevan
