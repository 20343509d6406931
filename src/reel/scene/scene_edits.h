// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of what the Scene holds: places of clips, films, events, spaces and what is fed into them.
// See reel/edits/edits.h. Films are named by their index, events by their id.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "reel/edits/edits.h"

namespace drevan::edits {

// --- places ---

struct PlacedClip {
  ClipId clip = 0;
  ReelTime place{};
};
/// None goes before the reel's beginning: then all are held back by as much. Moves of the same
/// clips that follow each other are one edit.
Edit place_clips(const Reel& reel, std::span<const PlacedClip> places);

// --- films ---

Edit add_film(const Reel& reel, const std::filesystem::path& file, ReelTime place);
/// A whole source as a clip of `group` at a place: a film's own sound where it was shot.
Edit add_clip_at(const Reel& reel, const Source& source, const std::string& group, ReelTime place);
/// The clips of its own sound go with it, as far as the reel's beginning lets them.
Edit place_film(const Reel& reel, int film, ReelTime place);
Edit remove_film(const Reel& reel, int film);
/// A finished mix to listen against; empty: none any more.
Edit set_reference(const Reel& reel, const std::filesystem::path& file);

// --- room tone ---

/// A file of room tone that fills what lies between two clips of a group.
struct ToneClip {
  Source source;
  ReelTime place{};              ///< where it begins, already within the clip before
  ClipId before = 0, after = 0;  ///< by id
};
/// Each becomes a clip of the group with the own chain of clip `like`, but for what would change its
/// length; it lies over `fade_s` on its neighbours, with which it is crossfaded.
Edit fill_with_tone(const Reel& reel, GroupId group, ClipId like, std::span<const ToneClip> tones,
                    double fade_s);

// --- events ---

/// The id of an event that is added is its own, whatever is given.
Edit add_event(const Reel& reel, const Event& event);
/// `label`: what was done, "Find the cuts".
Edit add_events(const Reel& reel, std::span<const Event> events, const std::string& label);
/// Its place among the others may change with its moment. Moves that follow each other are one
/// edit.
Edit move_event(const Reel& reel, EventId event, ReelTime at);
Edit rename_event(const Reel& reel, EventId event, const std::string& name);
Edit remove_events(const Reel& reel, std::span<const EventId> events);

// --- spaces ---

/// With this chain; its name must be its own.
Edit add_space(const Reel& reel, const std::string& name, const Chain& chain = {});
Edit rename_space(const Reel& reel, SpaceId space, const std::string& name);
/// What was sent to it goes nowhere; clips that were heard through it alone are heard directly.
Edit remove_space(const Reel& reel, SpaceId space);
Edit set_space_level(const Reel& reel, SpaceId space, double level_db);

/// Who feeds a space: a clip, or all clips of a group.
struct Feeder {
  ClipId clip = 0;  ///< none: `group`
  GroupId group = 0;
  Feeder() = default;
  Feeder(ClipId one) : clip(one) {}
  Feeder(GroupId all_of) : group(all_of) {}
  bool of_clip() const { return static_cast<bool>(clip); }
};
/// The same all the time; turns of one send that follow each other are one edit. At off_send_db a
/// group sends nothing; a clip then sends nothing whatever its group does.
Edit set_send(const Reel& reel, Feeder from, SpaceId space, double level_db);
/// Whether it is heard in the mix itself, not only through spaces.
Edit set_direct(const Reel& reel, Feeder from, bool direct);
Edit set_group_kind(const Reel& reel, GroupId group, GroupKind kind);

}  // namespace drevan::edits
