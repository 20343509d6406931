// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/reel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_set>

#include "audio/error.h"
#include "audio/utf8.h"
#include "measure/room_tone.h"
#include "reel/times/clip_times.h"
#include "reel/times/crossings.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

// Ids mostly rise along the list, as clips are added at its end: then it is found at once.
template <class T, class OfKind>
auto find_by_id(const SharedList<T>& all, OfKind id) {
  const auto near = std::ranges::lower_bound(all, id, {}, &T::id);
  return near != all.end() && near->id == id ? near : std::ranges::find(all, id, &T::id);
}
template <class T, class OfKind>
const T* pointer_to(const SharedList<T>& all, OfKind id) {
  const auto at = find_by_id(all, id);
  return at == all.end() ? nullptr : &*at;
}
// To be changed.
template <class T, class OfKind>
T* pointer_to(SharedList<T>& all, OfKind id) {
  const auto at = find_by_id(all, id);
  return at == all.end() ? nullptr : &all[static_cast<size_t>(at - all.begin())];
}
template <class T>
T& there(T* found, const char* what) {
  if (!found)
    throw Error(Error::Kind::call, fmt::format("{} of this clip is not in the reel.", what));
  return *found;
}

}  // namespace

const Clip* Reel::find(ClipId clip_id) const {
  if (clip_id == mix_clip_id) return &mix;
  if (is_bus(clip_id)) {
    const Space* space = find_space(*this, space_of(clip_id));
    return space ? &space->clip : nullptr;
  }
  return pointer_to(clips, clip_id);
}
Clip* Reel::find(ClipId clip_id) {
  if (clip_id == mix_clip_id) return &mix;
  if (is_bus(clip_id)) {
    Space* space = find_space(*this, space_of(clip_id));
    return space ? &space->clip : nullptr;
  }
  return pointer_to(clips, clip_id);
}
const Group* Reel::find(GroupId group) const { return pointer_to(groups, group); }
Group* Reel::find(GroupId group) { return pointer_to(groups, group); }
const Source* Reel::find(SourceId source) const { return pointer_to(sources, source); }
Source* Reel::find(SourceId source) { return pointer_to(sources, source); }
const Group& Reel::at(GroupId group) const { return there(find(group), "The group"); }
Group& Reel::at(GroupId group) { return there(find(group), "The group"); }
const Source& Reel::at(SourceId source) const { return there(find(source), "The file"); }
Source& Reel::at(SourceId source) { return there(find(source), "The file"); }

const Source& Reel::source_of(const Clip& clip) const {
  if (clip.id == mix_clip_id) return mix_source;
  if (is_bus(clip))
    if (const Space* space = find_space(*this, space_of(clip.id))) return space->source;
  return at(clip.source);
}

const Group& Reel::group_of(const Clip& clip) const {
  static const Group none;
  return is_bus(clip) ? none : at(clip.group);
}

Reel with_bus_source(Reel reel, ClipId bus, const Source& sum) {
  if (bus == mix_clip_id) {
    reel.mix_source = sum;
    reel.mix.frames = sum.frames;
  }
  if (Space* space = find_space(reel, space_of(bus))) {
    space->source = sum;
    space->clip.frames = sum.frames;
  }
  return reel;
}

EventId new_event_id(Reel& reel) {
  return next_id(reel.last_event_id, [&](EventId id) { return find_event(reel, id) != nullptr; });
}
const Event* find_event(const Reel& reel, EventId id) {
  const auto at = std::ranges::find(reel.events, id, &Event::id);
  return at == reel.events.end() ? nullptr : &*at;
}

const Space* find_space(const Reel& reel, SpaceId id) {
  const auto at = std::ranges::find(reel.spaces, id, &Space::id);
  return at == reel.spaces.end() ? nullptr : &*at;
}
Space* find_space(Reel& reel, SpaceId id) {
  const auto at = std::ranges::find(reel.spaces, id, &Space::id);
  return at == reel.spaces.end() ? nullptr
                                 : &reel.spaces[static_cast<size_t>(at - reel.spaces.begin())];
}

void shift_send(Send& send, double by_s) {
  const auto move = [by_s](std::optional<Curve>& curve) {
    if (curve) curve = shifted(std::move(*curve), by_s);
  };
  move(send.level);
  if (!send.place) return;
  move(send.place->azimuth);
  move(send.place->distance);
}

std::vector<Send> sends_of(const Reel& reel, const Clip& clip) {
  std::vector<Send> out = clip.sends;
  for (const Send& of_group : reel.group_of(clip).sends)
    if (std::ranges::find(clip.sends, of_group.space, &Send::space) == clip.sends.end()) {
      out.push_back(of_group);
      shift_send(out.back(), -clip.place.s);
    }
  std::erase_if(out, [](const Send& s) { return !s.level && s.level_db <= off_send_db; });
  std::ranges::sort(out, {}, &Send::space);
  return out;
}

std::span<const ChainOwner> owners_of(const Clip& clip) {
  static constexpr ChainOwner all[] = {ChainOwner::clip, ChainOwner::group, ChainOwner::reel};
  return std::span(all).first(is_bus(clip) ? 1 : 3);
}

const Chain& chain_of(const Reel& reel, const Clip& clip, ChainOwner owner) {
  switch (owner) {
    case ChainOwner::clip:
      return clip.chain;
    case ChainOwner::group:
      return reel.group_of(clip).chain;
    case ChainOwner::reel:
      break;
  }
  static const Chain none;
  return is_bus(clip) ? none : reel.chain;
}
Chain& chain_of(Reel& reel, Clip& clip, ChainOwner owner) {
  if (is_bus(clip) && owner != ChainOwner::clip)
    throw Error(Error::Kind::call, "The mix and spaces have a chain of their own alone.");
  switch (owner) {
    case ChainOwner::clip:
      return clip.chain;
    case ChainOwner::group:
      return reel.at(clip.group).chain;
    case ChainOwner::reel:
      break;
  }
  return reel.chain;
}

bool runs(const Reel& reel, const Clip& clip, ChainOwner owner, const ChainStep& step) {
  if (!step.on) return false;
  if (owner == ChainOwner::clip) return true;
  if (std::ranges::binary_search(step.sits_out, clip.id)) return false;
  return owner != ChainOwner::group || !sits_out_of_group(reel, clip);
}

std::vector<RunningStep> running_steps(const Reel& reel, const Clip& clip) {
  std::vector<RunningStep> out;
  for (const auto owner : owners_of(clip)) {
    const auto& steps = chain_of(reel, clip, owner).steps;
    for (size_t i = 0; i < steps.size(); ++i)
      if (runs(reel, clip, owner, steps[i])) out.push_back({owner, i, &steps[i]});
  }
  return out;
}

namespace {

// Whether what crosses a clip in its row does so alike in both reels.
bool cross_alike(const Reel& a, const Clip& in_a, const Reel& b, const Clip& in_b) {
  if (is_bus(in_a)) return true;
  const auto row = [](const Reel& reel, const Clip& clip) {
    const Crossings crossings(reel, clip.group);
    const auto copy = [](const Crossing* c) { return c ? std::optional(*c) : std::nullopt; };
    return std::pair(copy(crossings.into(clip.id)), copy(crossings.out_of(clip.id)));
  };
  return row(a, in_a) == row(b, in_b);
}

}  // namespace

bool sounds_the_same(const Reel& a, const Reel& b, ClipId clip_id) {
  const Clip *c = a.find(clip_id), *d = b.find(clip_id);
  if (!c || !d || a.rate != b.rate) return false;
  if (&a == &b) return true;  // asked for every clip that is painted, and mostly so
  const auto range = [](const Clip& clip) {
    return std::tie(clip.begin, clip.frames, clip.room_tone, clip.fade_in, clip.fade_out,
                    clip.chain);
  };
  // Curves of what several clips share count the reel's time.
  const auto drawn = [](const ChainStep& step) { return !step.curves.empty(); };
  if (c->place != d->place && (std::ranges::any_of(a.group_of(*c).chain.steps, drawn) ||
                               std::ranges::any_of(a.chain.steps, drawn)))
    return false;
  if (!cross_alike(a, *c, b, *d)) return false;
  const Group &g = a.group_of(*c), &h = b.group_of(*d);
  if (range(*c) != range(*d) || a.source_of(*c) != b.source_of(*d)) return false;
  const bool mix = is_bus(*c);
  if (g.chain != h.chain || g.sits_out != h.sits_out || (!mix && a.chain != b.chain) ||
      g.room_tone_clip != h.room_tone_clip)
    return false;
  // What its room is learned from, and what a step learns over all of the group.
  const auto common = [](const ChainStep& step) {
    return step.type->shares && step.type->shares(step.settings);
  };
  const bool alone = g.room_tone_clip == 0 && std::ranges::none_of(g.chain.steps, common) &&
                     std::ranges::none_of(a.chain.steps, common) &&
                     std::ranges::none_of(owners_of(*c), [&](ChainOwner owner) {
                       return std::ranges::any_of(chain_of(a, *c, owner).steps, hears_sides);
                     });
  return alone || (a.clips == b.clips && a.sources == b.sources);
}

std::optional<StepPlace> place_of(const Reel& reel, const Clip& clip, StepId id) {
  for (const auto owner : owners_of(clip)) {
    const auto& steps = chain_of(reel, clip, owner).steps;
    const auto at = std::ranges::find(steps, id, &ChainStep::id);
    if (id != 0 && at != steps.end()) return StepPlace{owner, static_cast<int>(at - steps.begin())};
  }
  return std::nullopt;
}

const ChainStep* find_step(const Reel& reel, const Clip& clip, StepId id) {
  const auto place = place_of(reel, clip, id);
  return place ? &chain_of(reel, clip, place->owner).steps[static_cast<size_t>(place->index)]
               : nullptr;
}

std::vector<const Chain*> live_chains(const Reel& reel) {
  std::vector<const Chain*> out{&reel.chain, &reel.mix.chain};
  for (const auto& space : reel.spaces) out.push_back(&space.clip.chain);
  for (const auto& group : reel.groups) out.push_back(&group.chain);
  for (const auto& clip : reel.clips) out.push_back(&clip.chain);
  return out;
}

void change_chains(Reel& reel, const std::function<bool(const Chain&)>& wrong,
                   const std::function<void(Chain&)>& change) {
  for (Chain* chain : {&reel.chain, &reel.mix.chain})
    if (wrong(*chain)) change(*chain);
  reel.spaces.change_where([&](const Space& s) { return wrong(s.clip.chain); },
                           [&](Space& s) { change(s.clip.chain); });
  reel.groups.change_where([&](const Group& g) { return wrong(g.chain); },
                           [&](Group& g) { change(g.chain); });
  reel.clips.change_where([&](const Clip& c) { return wrong(c.chain); },
                          [&](Clip& c) { change(c.chain); });
}

ClipId new_clip_id(Reel& reel) {
  return next_id(reel.last_clip_id, [&](ClipId id) { return reel.find(id) != nullptr; });
}

void settle_step_ids(Reel& reel) {
  for (const Chain* chain : live_chains(reel))
    for (const auto& step : chain->steps) reel.last_step_id = std::max(reel.last_step_id, step.id);
  std::unordered_set<StepId> taken;
  const auto wrong = [&](const Chain& chain) {
    std::vector<StepId> own;
    for (const auto& step : chain.steps) {
      if (step.id == 0 || taken.contains(step.id) || std::ranges::find(own, step.id) != own.end())
        return true;
      own.push_back(step.id);
    }
    taken.insert(own.begin(), own.end());
    return false;
  };
  change_chains(reel, wrong, [&](Chain& chain) {
    for (auto& step : chain.steps)
      if (step.id == 0 || !taken.insert(step.id).second)
        taken.insert(step.id =
                         next_id(reel.last_step_id, [&](StepId id) { return taken.contains(id); }));
  });
}

bool lends_room_tone(const Reel& reel, const Clip& clip) {
  return reel.group_of(clip).room_tone_clip == clip.id;
}

double clip_seconds(const Reel& reel, const Clip& clip) {
  return static_cast<double>(clip.frames) / reel.source_of(clip).rate;
}

bool room_tone_inside(const Reel& reel, const Clip& clip) {
  // Within half a frame: ranges of frames were rounded.
  const double length = clip_seconds(reel, clip), slack = 0.5 / reel.source_of(clip).rate;
  return clip.room_tone && clip.room_tone->begin.s >= 0 && clip.room_tone->end.s <= length + slack;
}

void require_room_tone(const ClipRange& range, double clip_s, const std::string& clip) {
  const auto fail = [&](const std::string& why) {
    return Error(Error::Kind::call, Cause::no_room_tone,
                 fmt::format("{}: the room tone from {:.2f} to {:.2f} s {}", clip, range.begin.s,
                             range.end.s, why));
  };
  switch (check_room_tone(range.begin.s, range.end.s, clip_s)) {
    default:
      return;  // what is heard in it is not judged here
    case RoomToneFlaw::too_short:
      throw fail(fmt::format("is too short to learn from; mark at least {} s.", least_room_tone_s));
    case RoomToneFlaw::outside_clip:
      throw fail(
          fmt::format("does not lie within the clip, which is {:.2f} s long; mark a range "
                      "inside it.",
                      clip_s));
  }
}

GroupId group_called(Reel& reel, const std::string& name) {
  const auto& groups = std::as_const(reel.groups);
  const auto at = std::ranges::find(groups, name, &Group::name);
  if (at != groups.end()) return at->id;
  Group made{name, {}};
  made.id = next_id(reel.last_group_id, [&](GroupId id) { return reel.find(id) != nullptr; });
  reel.groups.push_back(made);
  return made.id;
}

SourceId source_for(Reel& reel, const Source& file) {
  const auto& sources = std::as_const(reel.sources);
  const auto at = std::ranges::find(sources, file.path, &Source::path);
  if (at != sources.end()) return at->id;
  Source came = file;
  came.id = next_id(reel.last_source_id, [&](SourceId id) { return reel.find(id) != nullptr; });
  reel.sources.push_back(came);
  return came.id;
}

SourceId put_source(Reel& reel, const Source& file) {
  const SourceId id = source_for(reel, file);
  Source now = file;
  now.id = id;
  if (std::as_const(reel).at(id) != now) reel.at(id) = now;
  return id;
}

ClipId add_clip(Reel& reel, const Source& source, const std::string& group) {
  Clip clip;
  for (const auto& other : reel.clips) {
    reel.last_clip_id = std::max(reel.last_clip_id, other.id);
    clip.place = std::max(clip.place, whole_in_reel(times_of(reel, other)).end);
  }
  clip.id = new_clip_id(reel);
  clip.place = ReelTime{std::min(std::ceil(clip.place.s), latest_place_s)};
  clip.name = to_utf8(source.path.stem().string());
  clip.source = source_for(reel, source);
  clip.frames = source.frames;
  clip.group = group_called(reel, group);
  reel.clips.push_back(clip);
  return clip.id;
}

namespace {

void drop_unused_sources(Reel& reel) {
  std::unordered_set<SourceId> used;
  for (const Clip& clip : reel.clips) {
    used.insert(clip.source);
    for (const Version& version : clip.versions) used.insert(version.source);
  }
  erase_if(reel.sources, [&](const Source& s) { return !used.contains(s.id); });
}

}  // namespace

void drop_groups(Reel& reel, std::span<const GroupId> groups) {
  erase_if(reel.groups,
           [&](const Group& g) { return std::ranges::find(groups, g.id) != groups.end(); });
}

void forget_lost_lenders(Reel& reel) {
  const auto lost = [&](const Group& group) {
    return group.room_tone_clip != 0 && !std::as_const(reel).find(group.room_tone_clip);
  };
  reel.groups.change_where(lost, [](Group& group) { group.room_tone_clip = 0; });
}

void remove_clips(Reel& reel, std::span<const ClipId> ids) {
  std::vector<GroupId> left;
  erase_if(reel.clips, [&](const Clip& c) {
    const bool goes = std::ranges::find(ids, c.id) != ids.end();
    if (goes) left.push_back(c.group);
    return goes;
  });
  std::erase_if(left,
                [&](GroupId g) { return std::ranges::count(reel.clips, g, &Clip::group) > 0; });
  drop_groups(reel, left);
  drop_unused_sources(reel);
  for (const ClipId id : ids) take_part(reel, id);
  erase_if(reel.crossfades, [&](const Crossfade& c) {
    return std::ranges::find(ids, c.before) != ids.end() ||
           std::ranges::find(ids, c.after) != ids.end();
  });
  // A clip that is not there any more lends no room tone.
  forget_lost_lenders(reel);
}

void copy_chain(Reel& reel, ClipId from, std::span<const ClipId> to) {
  const Clip* source = std::as_const(reel).find(from);
  if (!source) return;
  const Chain chain = for_everyone(source->chain);
  for (const ClipId id : to)
    if (Clip* clip = reel.find(id)) clip->chain = chain;
}

void drop_versions(Reel& reel, std::span<const UnusedVersion> unused) {
  for (const auto& [clip_id, version, bytes] : unused)
    if (Clip* clip = reel.find(clip_id); clip && clip->version != version)
      std::erase_if(clip->versions,
                    [id = version](const Version& v) { return v.id == id && id != 0; });
  drop_unused_sources(reel);
}

}  // namespace drevan
