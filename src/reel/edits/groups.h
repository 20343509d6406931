// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of groups and of the order of clips. See reel/edits/edits.h.
#pragma once

#include <functional>
#include <span>
#include <string>

#include "reel/edits/edits.h"

namespace drevan::edits {

/// A new group at the end, with these clips in it (none: it is empty). Its name must be its own.
Edit new_group(const Reel& reel, const std::string& name, std::span<const ClipId> clips);
Edit rename_group(const Reel& reel, GroupId group, const std::string& name);
Edit set_group_note(const Reel& reel, GroupId group, const std::string& note, GroupMark mark);
/// Into the place of another on the shelf: before one above it, behind one below it.
Edit move_group(const Reel& reel, GroupId group, GroupId to);
/// Its clips become those of the group before it (of the one behind it, for the first).
Edit remove_group(const Reel& reel, GroupId group);
/// Into `group`, before clip `before` (0: at its end), in the order they have now. A group that is
/// left empty goes, unless it has a chain or a note.
Edit move_clips(const Reel& reel, std::span<const ClipId> clips, GroupId group, ClipId before);
/// Clips get these names for their groups: "group by". A group that is not there is made; those
/// left empty go, as in move_clips().
Edit group_by(const Reel& reel, std::span<const ClipId> clips,
              const std::function<std::string(const Clip&)>& name_of);
/// Sorts the clips of every group; `less` orders two of them. `what`: "name".
Edit sort_clips(const Reel& reel, const std::function<bool(const Clip&, const Clip&)>& less,
                const std::string& what);

/// A name without the number that clips of one kind are told apart by: "ines_take" of
/// "ines_take-012". Names that are numbers alone stay.
std::string name_beginning(const std::string& name);

/// Whether `a` comes before `b` as people count: "take 9" before "take 10"; capitals do not matter.
bool before_by_name(std::string_view a, std::string_view b);

}  // namespace drevan::edits
