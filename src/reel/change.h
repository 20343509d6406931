// SPDX-License-Identifier: GPL-3.0-or-later
// What an edit changed: the difference of two reels, made once and asked by all who keep something
// that was made of the reel.
#pragma once

#include <vector>

#include "reel/reel.h"

namespace drevan {

/// What differs between two reels. Ids are sorted, each once.
struct Change {
  std::vector<ClipId> clips;    ///< by id: new, gone, or other in anything
  std::vector<GroupId> groups;  ///< by id: new, gone, elsewhere, or other in anything
  /// Groups whose clips may be heard at other times, or in other takes: who crosses whom is asked
  /// anew.
  std::vector<GroupId> rows;
  bool all_rows = false;          ///< of every group
  bool order = false;             ///< of the clips, or which there are
  bool grouping = false;          ///< which groups there are, or in which order
  std::vector<ClipId> crossed;    ///< clips of which it is known otherwise how they cross another
  bool sources = false;           ///< in anything
  bool sources_replaced = false;  ///< one that was there is another, or gone
  bool films = false, events = false, spaces = false;
  bool rate = false;
  bool chain = false;  ///< the reel's
  bool mix = false;    ///< the chain of the mix
  bool words = false;  ///< name, target, reference, how it is recorded, highest ids

  /// Whether the reels are equal.
  bool nothing() const;
  bool has_clip(ClipId id) const;
  bool has_group(GroupId group) const;
  bool has_row(GroupId group) const;
  bool has_crossed(ClipId id) const;
  /// What differs between the first of three reels and the last, or more; `later` between the
  /// second and the last.
  void merge(const Change& later);
  friend bool operator==(const Change&, const Change&) = default;

  /// As of a reel that nothing is known of.
  static Change everything(const Reel& reel);
};

/// By identity first: linear in the number of clips, by one comparison of pointers each, and in
/// what differs.
Change difference(const Reel& before, const Reel& after);

/// The same, where what of `next` is equal to `before` is shared with it from now on: an edit costs
/// the memory of what it changed. Steps keep the ids that they had there.
Change share(Reel& next, const Reel& before);

/// Whether steps stand in chains in which they did not stand before: they may need ids of their
/// own, see settle_step_ids().
bool may_bring_steps(const Change& change, const Reel& before, const Reel& after);

/// Whether a clip, or a bus, may sound otherwise after this change; false: it does not. `after` is
/// the reel then. What may is told exactly by sounds_the_same().
bool may_sound_otherwise(const Change& change, const Reel& after, const Clip& clip);

}  // namespace drevan
