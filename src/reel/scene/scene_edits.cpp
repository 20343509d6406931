// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/scene_edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "reel/edits/draft.h"
#include "reel/scene/sends.h"

namespace drevan::edits {

namespace {

Edit edit_of(const Reel& reel, std::string label, std::string merge = {}) {
  return {.next = reel, .label = std::move(label), .merge = std::move(merge)};
}

ReelTime moment(ReelTime at) {
  if (!std::isfinite(at.s)) throw impossible("That moment is no number; nothing was changed.");
  return clamp(at, ReelTime{0}, latest_place);
}

template <class T>
T& one_of(SharedList<T>& all, int index, const char* what) {
  if (index >= 0 && index < std::ssize(all)) return all[static_cast<size_t>(index)];
  throw impossible(fmt::format("That {} is not in the reel any more; nothing was changed.", what));
}

void sort_events(Reel& reel) { reel.events.stable_sort(std::less{}, &Event::at); }

Event& event_in(Reel& reel, EventId id) {
  const auto at = std::ranges::find(reel.events, id, &Event::id);
  if (at != reel.events.end()) return reel.events[static_cast<size_t>(at - reel.events.begin())];
  throw impossible("That event is not in the reel any more; nothing was changed.");
}

Space& space_in(Reel& reel, SpaceId id) {
  if (Space* space = find_space(reel, id)) return *space;
  throw impossible("That space is not in the reel any more; nothing was changed.");
}

std::string own_name(const Reel& reel, const std::string& name, SpaceId space) {
  const std::string proper = proper_name(name, "A space");
  for (const Space& s : reel.spaces)
    if (s.id() != space && s.clip.name == proper)
      throw impossible(fmt::format("There is a space {} already; choose another name.", proper));
  return proper;
}

struct Feeds {
  std::vector<Send>& sends;
  bool& direct;
  std::string name;
};
Feeds feeds_of(Reel& reel, Feeder from) {
  if (!from.of_clip()) {
    Group& g = group_in(reel, from.group);
    return {g.sends, g.direct, g.name};
  }
  require_clip(from.clip, "feeds no space");
  Clip& c = clip_in(reel, from.clip);
  return {c.sends, c.direct, c.name};
}

// The film whose sound this is: of several of one file the one that it lies nearest to; -1: none.
int film_of_sound(const Reel& reel, const Clip& clip) {
  if (is_bus(clip)) return -1;
  const Source& source = reel.source_of(clip);
  const ReelTime begins = clip.place - ReelSpan{static_cast<double>(clip.begin) / source.rate};
  int nearest = -1;
  double away = 0;
  for (int i = 0; i < std::ssize(reel.films); ++i) {
    const Film& film = std::as_const(reel.films)[static_cast<size_t>(i)];
    const double apart = std::abs((begins - film.place).s);
    if (film.path != source.path || (nearest >= 0 && apart >= away)) continue;
    nearest = i;
    away = apart;
  }
  return nearest;
}

}  // namespace

Edit place_clips(const Reel& reel, std::span<const PlacedClip> places) {
  Edit edit = edit_of(reel, "");
  ReelSpan early{};  // before the reel's beginning
  for (const auto& p : places)
    if (std::isfinite(p.place.s)) early = std::min(early, p.place - ReelTime{0});
  std::string merge = "places of";
  for (const auto& p : places) {
    require_clip(p.clip, "has no place of its own");
    clip_in(edit.next, p.clip).place = moment(p.place - early);
    merge += fmt::format(" {}", p.clip);
  }
  edit.label = fmt::format("Move {}", places.size() == 1 ? reel.find(places[0].clip)->name
                                                         : counted(places.size(), "clip"));
  edit.merge = merge;
  return edit;
}

Edit add_film(const Reel& reel, const std::filesystem::path& file, ReelTime place) {
  Edit edit = edit_of(reel, fmt::format("Add the film {}", file.filename().string()));
  edit.next.films.push_back({file, moment(place)});
  edit.next.films.stable_sort(std::less{}, &Film::place);
  return edit;
}
Edit add_clip_at(const Reel& reel, const Source& source, const std::string& group, ReelTime place) {
  Edit edit = edit_of(reel, "");
  const ClipId id = add_clip(edit.next, source, proper_name(group, "A group"));
  Clip& clip = *edit.next.find(id);
  clip.place = moment(place);
  edit.label = fmt::format("Add {}", clip.name);
  return edit;
}
Edit place_film(const Reel& reel, int film, ReelTime place) {
  Edit edit = edit_of(reel, "");
  Film& moved = one_of(edit.next.films, film, "film");
  edit.label = fmt::format("Move {}", moved.path.filename().string());
  ReelSpan by = moment(place) - moved.place;
  const auto own = [&](const Clip& clip) { return film_of_sound(reel, clip) == film; };
  for (const Clip& clip : reel.clips)
    if (own(clip)) by = std::max(by, ReelTime{0} - clip.place);
  moved.place = moment(moved.place + by);
  edit.next.clips.change_where(own, [&](Clip& clip) { clip.place = moment(clip.place + by); });
  edit.next.films.stable_sort(std::less{}, &Film::place);
  return edit;
}
Edit remove_film(const Reel& reel, int film) {
  Edit edit = edit_of(reel, "");
  edit.label =
      fmt::format("Take out {}", one_of(edit.next.films, film, "film").path.filename().string());
  edit.next.films.erase(edit.next.films.begin() + film);
  return edit;
}

Edit set_reference(const Reel& reel, const std::filesystem::path& file) {
  Edit edit =
      edit_of(reel, file.empty() ? std::string("No reference")
                                 : fmt::format("Listen against {}", file.filename().string()));
  edit.next.reference = file;
  return edit;
}

Edit fill_with_tone(const Reel& reel, GroupId group, ClipId like, std::span<const ToneClip> tones,
                    double fade_s) {
  Edit edit = edit_of(reel, fmt::format("Fill {} with room tone", counted(tones.size(), "gap")));
  const std::string name = group_in(edit.next, group).name;
  const EdgeFade fade{fade_s, CurveShape::smooth};
  for (const ToneClip& tone : tones) {
    clip_in(edit.next, tone.before);
    clip_in(edit.next, tone.after);
    // It is as long as its gap: what makes the lender longer or turns it round is not its own.
    Chain chain = for_everyone(clip_in(edit.next, like).chain);
    std::erase_if(chain.steps, [](const ChainStep& s) { return s.type->rewrite != nullptr; });
    Clip& filled = clip_in(edit.next, add_clip(edit.next, tone.source, name));
    filled.place = moment(tone.place);
    filled.fade_in = filled.fade_out = fade;
    filled.chain = chain;
    for (auto& step : filled.chain.steps) step.id = 0;
    // What learns from a room's tone has all of it here.
    const double length = clip_seconds(edit.next, filled);
    if (length >= 0.5 + 2 * fade_s)
      filled.room_tone = ClipRange{{fade_s}, {std::min(length - fade_s, 3.0)}};
  }
  settle_step_ids(edit.next);
  return edit;
}

Edit add_event(const Reel& reel, const Event& event) {
  const Event named{moment(event.at), proper_name(event.name, "An event")};
  return add_events(reel, std::span(&named, 1), fmt::format("Add the event {}", named.name));
}
Edit add_events(const Reel& reel, std::span<const Event> events, const std::string& label) {
  Edit edit = edit_of(reel, label);
  for (const Event& e : events)
    edit.next.events.push_back({moment(e.at), e.name, new_event_id(edit.next)});
  sort_events(edit.next);
  return edit;
}
Edit move_event(const Reel& reel, EventId event, ReelTime at) {
  Edit edit = edit_of(reel, "");
  Event& moved = event_in(edit.next, event);
  moved.at = moment(at);
  edit.label = fmt::format("Move {}", moved.name);
  edit.merge = fmt::format("event {}", event);
  sort_events(edit.next);
  return edit;
}
Edit rename_event(const Reel& reel, EventId event, const std::string& name) {
  Edit edit = edit_of(reel, "Name an event");
  event_in(edit.next, event).name = proper_name(name, "An event");
  return edit;
}
Edit remove_events(const Reel& reel, std::span<const EventId> events) {
  Edit edit = edit_of(reel, fmt::format("Take out {}", counted(events.size(), "event")));
  for (const EventId id : events) event_in(edit.next, id);
  erase_if(edit.next.events,
           [&](const Event& e) { return std::ranges::find(events, e.id) != events.end(); });
  return edit;
}

Edit add_space(const Reel& reel, const std::string& name, const Chain& chain) {
  Edit edit = edit_of(reel, "");
  Space space;
  space.clip.name = own_name(reel, name, 0);
  const auto below_0 = [](int n) { return SpaceId::numbered(-n); };
  int last = -edit.next.last_space_id.number();
  const SpaceId id =
      below_0(next_id(last, [&](int n) { return n == 1 || find_space(reel, below_0(n)); }));
  edit.next.last_space_id = below_0(last);
  space.clip.id = clip_of(id);
  space.clip.chain = for_everyone(chain);
  edit.label = fmt::format("Add the space {}", space.clip.name);
  edit.next.spaces.push_back(std::move(space));
  settle_step_ids(edit.next);
  return edit;
}
Edit rename_space(const Reel& reel, SpaceId space, const std::string& name) {
  Edit edit = edit_of(reel, "Name a space");
  space_in(edit.next, space).clip.name = own_name(reel, name, space);
  return edit;
}
Edit remove_space(const Reel& reel, SpaceId space) {
  Edit edit = edit_of(reel, "");
  edit.label = fmt::format("Take out the space {}", space_in(edit.next, space).clip.name);
  erase_if(edit.next.spaces, [&](const Space& s) { return s.id() == space; });
  const auto into_it = [&](const Send& s) { return s.space == space; };
  const auto forget = [&](auto& all) {
    all.change_where([&](const auto& one) { return std::ranges::any_of(one.sends, into_it); },
                     [&](auto& one) {
                       std::erase_if(one.sends, into_it);
                       if (one.sends.empty()) one.direct = true;
                     });
  };
  forget(edit.next.clips);
  forget(edit.next.groups);
  return edit;
}
Edit set_space_level(const Reel& reel, SpaceId space, double level_db) {
  Edit edit = edit_of(reel, "", fmt::format("level of space {}", space));
  Space& s = space_in(edit.next, space);
  s.level_db = std::clamp(level_db, least_space_db, most_space_db);
  edit.label = fmt::format("{}: level", s.clip.name);
  return edit;
}

Edit set_send(const Reel& reel, Feeder from, SpaceId space, double level_db) {
  const bool of_clip = from.of_clip();
  Edit edit = edit_of(reel, "", fmt::format("send of {} {} to {}", from.clip, from.group, space));
  const Feeds feeds = feeds_of(edit.next, from);
  edit.label = fmt::format("{} into {}", feeds.name, space_in(edit.next, space).clip.name);
  const double level = std::clamp(level_db, off_send_db, most_send_db);
  auto at = std::ranges::find(feeds.sends, space, &Send::space);
  if (at == feeds.sends.end()) {
    Send fresh{space, level};
    // It stands where it stood with its group.
    if (of_clip)
      for (const Send& s : sends_of(reel, *reel.find(from.clip)))
        if (s.space == space) fresh.place = s.place;
    add_send(feeds.sends, std::move(fresh));
    at = std::ranges::find(feeds.sends, space, &Send::space);
  }
  at->level_db = level;
  at->level.reset();
  // A clip that is off must still say so where its group is on.
  const auto by_group = [&] {
    const auto& all = edit.next.group_of(*edit.next.find(from.clip)).sends;
    return std::ranges::find(all, space, &Send::space) != all.end();
  };
  if (level <= off_send_db && (!of_clip || !by_group())) feeds.sends.erase(at);
  return edit;
}
Edit set_direct(const Reel& reel, Feeder from, bool direct) {
  Edit edit = edit_of(reel, "");
  const Feeds feeds = feeds_of(edit.next, from);
  feeds.direct = direct;
  edit.label = feeds.name + (direct ? " is heard directly" : " through spaces alone");
  return edit;
}
Edit set_group_kind(const Reel& reel, GroupId group, GroupKind kind) {
  Edit edit = edit_of(reel, "");
  Group& g = group_in(edit.next, group);
  g.kind = kind;
  edit.label = fmt::format("{} is {}", g.name,
                           kind == GroupKind::dialogue  ? "dialogue"
                           : kind == GroupKind::effects ? "effects"
                                                        : "music");
  return edit;
}

}  // namespace drevan::edits
