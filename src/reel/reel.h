// SPDX-License-Identifier: GPL-3.0-or-later
// The document: a reel of clips, their groups and chains. Plain values; copying one is an undo step.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <tuple>
#include <vector>

#include "audio/moment.h"
#include "audio/progress.h"
#include "reel/chain.h"
#include "reel/scene/scene.h"
#include "reel/shared_list.h"
#include "steps/curve.h"

namespace drevan {

/// How a clip begins or ends by itself: over so many seconds it comes up from nothing, or goes down
/// to it. Where it goes over into another clip of its row, that crossfade stands in its place: see
/// reel/times/crossings.h.
struct EdgeFade {
  double seconds = 0;
  CurveShape shape = CurveShape::line;  ///< `line` or `smooth`
  /// What of it lies outside of the clip, which was cut within the fade: the clip begins, or ends,
  /// so far into it.
  double gone_s = 0;
  friend bool operator==(const EdgeFade&, const EdgeFade&) = default;
};
/// The longest an edge fade may be, in seconds.
inline constexpr double longest_fade_s = 600;

/// A media file on disk, never written to. `path` is absolute in memory, relative to the reel's
/// folder in its file where it can be.
struct Source {
  std::filesystem::path path;
  Samples frames = 0;   ///< in its own rate
  double rate = 48000;  ///< Hz
  int channels = 1;
  std::uint64_t hash = 0;  ///< of its content; 0: not known
  SourceId id = 0;         ///< unique in its reel, for ever; none: of no reel
  friend bool operator==(const Source&, const Source&) = default;
};

/// A clip's sound as it was at one time: as it came, or frozen into a file by printing a chain. Clips
/// keep all of theirs, as a tree.
struct Version {
  int id = 0;             ///< unique in its clip; 0: as it came
  int parent = -1;        ///< the version it was printed from; -1: none
  std::string what{};     ///< "printed", "1.20 to 3.40 s printed"
  std::int64_t when = 0;  ///< seconds since 1970, UTC
  SourceId source = 0;    ///< as in Clip, with `begin`, `frames` and fades
  Samples begin = 0, frames = 0;
  EdgeFade fade_in{}, fade_out{};
  Chain made_with{};                 ///< what was printed into it
  std::optional<ClipRange> range{};  ///< the part that was printed; empty: all
  std::optional<double> loudness_lufs{}, peak_dbfs{};
  Chain top{};  ///< the clip's chain upon it when it was left
  friend bool operator==(const Version&, const Version&) = default;
};

/// One piece of sound.
struct Clip {
  ClipId id = 0;  ///< unique in its reel, for ever
  std::string name;
  SourceId source = 0;  ///< of which of the reel's files
  Samples begin = 0;    ///< first frame, in the source's rate
  Samples frames = 0;   ///< length, in the source's rate
  GroupId group = 0;    ///< which of the reel's it is of; none: a bus is of none
  ReelTime place{};     ///< where it starts
  /// From the clip's start; it may lie outside the clip, within its source: a piece of a take
  /// learns from where the take was marked.
  std::optional<ClipRange> room_tone;
  EdgeFade fade_in{}, fade_out{};  ///< of the sound that enters the chain
  int line = 0;  ///< clips of one number are takes of one line; 0: of none. See reel/edits/takes.h
  bool chosen = true;  ///< among its takes
  Chain chain;
  int version = 0;                ///< the one that `source`, `begin` and `frames` are of
  std::vector<Version> versions;  ///< empty until something is printed; then version 0 first
  /// Into spaces, by space and each once; they stand in place of its group's for the same space.
  std::vector<Send> sends{};
  bool direct = true;  ///< whether it is heard in the mix itself, not only through spaces
  std::string text{};  ///< what is said in it, to be read while another take is recorded
  bool layered =
      false;  ///< it sounds along with what it overlaps in its row: see reel/times/crossings.h
  /// The clip that it was made into one with others, which stands in its place; 0: none. See
  /// reel/scene/made.h.
  ClipId made_into = 0;
  friend bool operator==(const Clip&, const Clip&) = default;
};

/// A group's mark, a small shape.
enum class GroupMark { none, dot, ring, square, triangle, diamond, cross, bars };

/// Clips that belong together and share a chain.
struct Group {
  std::string name;
  Chain chain;
  ClipId room_tone_clip =
      0;  ///< the clip whose room tone serves those that have none; 0: none does
  std::vector<ClipId> sits_out{};  ///< clips, by id, that pass all of its chain by; sorted
  std::string note{};
  GroupMark mark = GroupMark::none;
  GroupKind kind = GroupKind::dialogue;
  std::vector<Send> sends{};  ///< of each of its clips, but where a clip has its own
  bool direct = true;         ///< false: its clips are heard through spaces alone
  GroupId id = 0;             ///< unique in its reel, for ever
  friend bool operator==(const Group&, const Group&) = default;
};

/// A common room or echo: its chain hears the sum of all that is fed into it.
struct Space {
  /// Worked on as a clip too, as the mix is: Reel::find() gives it under its id, which is below
  /// mix_clip_id and unique in its reel, for ever. Its name and its chain are the space's.
  Clip clip;
  SpaceId id() const { return space_of(clip.id); }
  double level_db = 0;  ///< of what leaves its chain, in the mix
  /// What was fed was rendered into this, to be looked at; neither kept in files nor compared.
  Source source{};
  friend bool operator==(const Space& a, const Space& b) {
    return a.clip.id == b.clip.id && a.clip.name == b.clip.name && a.clip.chain == b.clip.chain &&
           a.level_db == b.level_db;
  }
};
inline constexpr double least_space_db = -60, most_space_db = 12;

inline constexpr double middle_of_fade = 0.5, least_middle = 0.1, most_middle = 0.9;
/// What is known of two clips that cross in their row. Who crosses whom, and over how long, is told
/// by where they lie: see reel/times/crossings.h.
struct Crossfade {
  ClipId before = 0, after = 0;    ///< by id
  double alike = 0;                ///< how alike the two are there, -1 to 1: see crossfade()
  double middle = middle_of_fade;  ///< the share of its length where both are equal
  friend bool operator==(const Crossfade&, const Crossfade&) = default;
};

/// The sum of all clips is worked on as a clip too: Reel::find() gives it under this id. Its chain
/// is the mix chain, and it is of no group.
inline constexpr ClipId mix_clip_id = -1;
inline Clip the_mix() {
  Clip mix;
  mix.id = mix_clip_id;
  mix.name = "The mix";
  return mix;
}

struct Reel {
  std::string name;
  double rate = 48000;  ///< working rate, Hz
  SharedList<Source> sources;
  SharedList<Group> groups;  ///< in the order of the shelf
  SharedList<Clip> clips;
  Chain chain;
  Clip mix = the_mix();  ///< see mix_clip_id
  /// What the sum was rendered into, to be looked at; neither kept in files nor compared.
  Source mix_source;
  SharedList<Film> films;    ///< by their places
  SharedList<Event> events;  ///< by their moments
  SharedList<Space> spaces;
  SharedList<Crossfade> crossfades;  ///< each pair once, by both ids
  RecordingFormat recording;
  /// A finished mix to listen against, never written to; absolute in memory. Empty: none.
  std::filesystem::path reference;
  EventId last_event_id = 0;                      ///< the highest id that any event of it ever had
  SpaceId last_space_id = space_of(mix_clip_id);  ///< the lowest id that any space of it ever had
  std::string
      target;  ///< what it is delivered by: one of Drevan's own by id, or a file; empty: none
  ClipId last_clip_id = 0;      ///< the highest id that any clip of it ever had: none comes again
  StepId last_step_id = 0;      ///< the same of steps; as their ids, it is not compared
  GroupId last_group_id = 0;    ///< the same of groups
  SourceId last_source_id = 0;  ///< and of sources
  friend bool operator==(const Reel& a, const Reel& b) {
    const auto all = [](const Reel& r) {
      return std::tie(r.name, r.rate, r.sources, r.groups, r.clips, r.chain, r.mix.chain, r.target,
                      r.last_clip_id, r.films, r.events, r.spaces, r.last_space_id, r.recording,
                      r.reference, r.crossfades, r.last_event_id, r.last_group_id,
                      r.last_source_id);
    };
    return all(a) == all(b);
  }

  const Clip* find(ClipId clip_id) const;
  Clip* find(ClipId clip_id);

  /// nullptr: there is none of this id.
  const Group* find(GroupId group) const;
  Group* find(GroupId group);
  const Source* find(SourceId source) const;
  Source* find(SourceId source);
  /// Throws Error(call): there is none of this id.
  const Group& at(GroupId group) const;
  Group& at(GroupId group);
  const Source& at(SourceId source) const;
  Source& at(SourceId source);

  const Source& source_of(const Clip& clip) const;
  /// Of a bus: a group without a chain.
  const Group& group_of(const Clip& clip) const;
};

/// What sums sounds: the mix or a space. It has a chain of its own alone, no group and no place.
inline bool is_bus(ClipId clip_id) { return clip_id <= mix_clip_id; }
inline bool is_bus(const Clip& clip) { return is_bus(clip.id); }
/// The reel, where what enters this bus was rendered into `sum`.
Reel with_bus_source(Reel reel, ClipId bus, const Source& sum);

/// nullptr: there is none of this id.
const Event* find_event(const Reel& reel, EventId id);
/// For an event that comes to the reel; see next_id().
EventId new_event_id(Reel& reel);
/// nullptr: there is none of this id.
const Space* find_space(const Reel& reel, SpaceId id);
Space* find_space(Reel& reel, SpaceId id);
/// All its curves later by so much.
void shift_send(Send& send, double by_s);
/// What of the clip enters which spaces: its own sends and its group's, without those that are off.
/// All curves count from the clip's beginning.
std::vector<Send> sends_of(const Reel& reel, const Clip& clip);
/// Whether it is heard in the mix itself.
inline bool heard_direct(const Reel& reel, const Clip& clip) {
  return clip.direct && reel.group_of(clip).direct;
}

/// The three chains a clip's sound flows through, in this order.
enum class ChainOwner { clip, group, reel };

/// The chains a clip has: a bus only its own.
std::span<const ChainOwner> owners_of(const Clip& clip);

/// Throws Error(call) for a chain that a bus does not have.
Chain& chain_of(Reel& reel, Clip& clip, ChainOwner owner);
const Chain& chain_of(const Reel& reel, const Clip& clip, ChainOwner owner);

/// Whether a clip's sound flows through a step of one of its chains: it is on, and the clip does not
/// sit out.
bool runs(const Reel& reel, const Clip& clip, ChainOwner owner, const ChainStep& step);

/// A step that a clip's sound flows through, and where it stands.
struct RunningStep {
  ChainOwner owner = ChainOwner::clip;
  size_t index = 0;  ///< in its chain
  const ChainStep* step = nullptr;
};
/// The clip's steps that run, and those of its group and of the reel, in order.
std::vector<RunningStep> running_steps(const Reel& reel, const Clip& clip);

/// Whether nothing in the two reels that a clip's sound depends on differs. The files themselves are
/// not looked at.
bool sounds_the_same(const Reel& a, const Reel& b, ClipId clip_id);

/// A place in one of a clip's three chains.
struct StepPlace {
  ChainOwner owner = ChainOwner::clip;
  int index = 0;
  friend bool operator==(const StepPlace&, const StepPlace&) = default;
};
/// Where a step of a clip's chains stands; empty: it is in none of them.
std::optional<StepPlace> place_of(const Reel& reel, const Clip& clip, StepId id);
/// The step of a clip's chains, or nullptr.
const ChainStep* find_step(const Reel& reel, const Clip& clip, StepId id);

/// All chains of a reel: its own, the buses', its groups', its clips'; not those that versions
/// remember.
std::vector<const Chain*> live_chains(const Reel& reel);
/// Changes those of these chains of which `wrong` is true; the others stay shared.
void change_chains(Reel& reel, const std::function<bool(const Chain&)>& wrong,
                   const std::function<void(Chain&)>& change);

/// For a clip that comes to the reel; see next_id().
ClipId new_clip_id(Reel& reel);
/// Gives ids to steps that have none, or one that stands in an earlier chain already: reel, groups, clips.
void settle_step_ids(Reel& reel);

/// Lets a clip sit out of all of its group's chain, or of one step in its group's or the reel's, or takes
/// part again.
bool sits_out_of_group(const Reel& reel, const Clip& clip);
void sit_out_of_group(Reel& reel, ClipId clip_id, bool out);
void sit_out_of_step(ChainStep& step, ClipId clip_id, bool out);
/// Where the clip sits out: the labels of steps, "the group's chain".
std::vector<std::string> sits_out_of(const Reel& reel, const Clip& clip);
/// The clip takes part in everything again.
void take_part(Reel& reel, ClipId clip_id);
/// `copy` sits out wherever `clip_id` does.
void sit_out_alike(Reel& reel, ClipId clip_id, ClipId copy);
/// The steps of its group's chain that the clip's sound flows through become the last of its own.
void take_group_chain(const Reel& reel, Clip& clip);

// --- versions ---

/// The clip's sound is now `printed`, as a new version with an empty chain upon it. Version 0 is noted
/// when it is the first. Returns its id. `printed.id` and `.parent` are set here.
int add_version(Reel& reel, ClipId clip_id, Version printed, const Source& file);
/// Goes to a version, with the chain that stood upon it when it was left.
void go_to_version(Clip& clip, int version);
/// Goes to the version that `version` was printed from, with the chain that was printed: to change it.
void take_out_chain(Clip& clip, int version);
const Version* find_version(const Clip& clip, int version);

/// A printed version that its clip does not stand upon, neither itself nor through those printed from it.
struct UnusedVersion {
  ClipId clip = 0;
  int version = 0;
  std::uintmax_t bytes = 0;
};
std::vector<UnusedVersion> unused_versions(const Reel& reel);
/// Takes versions out of the reel; their files stay.
void drop_versions(Reel& reel, std::span<const UnusedVersion> unused);

/// Reads a file's facts and hash. Throws Error(input), Cancelled.
Source examine_source(const std::filesystem::path& file, const CancelToken* cancel = nullptr);

/// The latest a clip may begin, in seconds.
inline constexpr double latest_place_s = 1e6;
inline constexpr ReelTime latest_place{latest_place_s};

enum class SourceState { fine, missing, changed };
/// `thorough` reads the whole file to compare its content; otherwise its presence only. Throws Cancelled.
SourceState check_source(const Source& source, bool thorough, const CancelToken* cancel = nullptr);

/// Length of a clip as its source's header promises, by its own clock.
double clip_seconds(const Reel& reel, const Clip& clip);

/// Checks a room tone against its clip. Throws Error(call) with a sentence for the user: shorter
/// than half a second, outside the clip.
void require_room_tone(const ClipRange& range, double clip_s, const std::string& clip);

/// Whether a clip's room tone lies within the clip itself, not only within its source.
bool room_tone_inside(const Reel& reel, const Clip& clip);

/// Whether its room tone serves all of its group that have none.
bool lends_room_tone(const Reel& reel, const Clip& clip);

/// Adds a clip of a whole source to `group` (made when it is not there), after all others in time,
/// under the file's name. Returns the clip's id.
ClipId add_clip(Reel& reel, const Source& source, const std::string& group);

/// A clip that is not there any more lends no room tone.
void forget_lost_lenders(Reel& reel);

/// Takes clips out; groups that have no clip any more and sources that nothing uses go with them.
void remove_clips(Reel& reel, std::span<const ClipId> ids);

/// The group of this name, made at the end when it is not there.
GroupId group_called(Reel& reel, const std::string& name);
/// The source of this file, which comes to the reel when it is not there.
SourceId source_for(Reel& reel, const Source& file);
/// The same, where what is known of the file is this from now on.
SourceId put_source(Reel& reel, const Source& file);
/// Takes groups out; no clip is in one of them.
void drop_groups(Reel& reel, std::span<const GroupId> groups);

/// Gives clips `to` the chain of clip `from` (its own one, not the group's).
void copy_chain(Reel& reel, ClipId from, std::span<const ClipId> to);

/// The file now lies at `file`; other missing sources that lie beside it under their names follow. Where it is
/// shorter, clips and versions keep what still lies within it; where its rate is another, their ranges are the
/// same in time. Returns how many were found. Throws Error(input) when `file` cannot be read, or ends before a
/// clip or version of it begins; the reel is then as it was.
int relink(Reel& reel, SourceId source, const std::filesystem::path& file);

// --- files ---

/// JSON as docs/formats.md describes; relative paths are taken from `folder`. Throws Error(call).
std::string reel_to_text(const Reel& reel, const std::filesystem::path& folder);
Reel reel_from_text(const std::string& text, const std::filesystem::path& folder,
                    const std::string& where);

/// Missing sources do not hinder loading. Throws Error(input), Error(call).
Reel load_reel(const std::filesystem::path& file);
/// Atomic. What could not be opened again is not written. Throws Error(output), Error(call).
void save_reel(const Reel& reel, const std::filesystem::path& file);

}  // namespace drevan
