// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/times/crossings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "reel/change.h"
#include "reel/edits/draft.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace {

// Nearer than this they only touch.
constexpr double least_cross_s = 0.001;

std::pair<ClipId, ClipId> pair_of(const Crossfade& c) { return {c.before, c.after}; }

auto place_of_pair(const Reel& reel, ClipId before, ClipId after) {
  return std::ranges::lower_bound(reel.crossfades, std::pair(before, after), {}, pair_of);
}

}  // namespace

Crossings::Crossings(const Reel& reel, std::optional<GroupId> group) {
  std::map<GroupId, std::vector<const Clip*>> rows;
  const LeftOut left_out(reel);
  for (const Clip& c : reel.clips)
    if ((!group || c.group == *group) && !c.layered && !left_out(c)) rows[c.group].push_back(&c);
  for (auto& [of, row] : rows) add_row(reel, std::move(row));
  std::ranges::sort(all_, {}, [](const Crossing& c) { return std::pair(c.over.begin, c.after); });
  for (size_t i = 0; i < all_.size(); ++i) {
    out_of_[all_[i].before] = i;
    into_[all_[i].after] = i;
  }
}

// Along the row: what has begun and not ended yet may go over into the next that begins.
void Crossings::add_row(const Reel& reel, std::vector<const Clip*> row) {
  if (row.size() < 2) return;
  struct Sounding {
    const Clip* clip = nullptr;
    ClipTimes times;
    ReelRange range;
    bool goes_over = false;  // its end is taken
  };
  std::vector<Sounding> all;
  all.reserve(row.size());
  for (const Clip* clip : row) {
    Sounding one{clip, times_of(reel, *clip), {}, false};
    one.range = whole_in_reel(one.times);
    all.push_back(std::move(one));
  }
  // By id where they begin together: in which order they are listed is not heard.
  std::ranges::sort(all, {},
                    [](const Sounding& s) { return std::pair(s.range.begin, s.clip->id); });
  std::vector<Sounding*> open;
  for (Sounding& coming : all) {
    std::erase_if(open, [&](const Sounding* s) { return s->range.end <= coming.range.begin; });
    // Of those that end within it the one that began last.
    for (size_t i = open.size(); i-- > 0;) {
      Sounding& going = *open[i];
      if (going.goes_over || going.range.end >= coming.range.end ||
          going.range.begin == coming.range.begin)
        continue;
      if (!add(reel, *going.clip, going.times, *coming.clip, coming.times)) continue;
      going.goes_over = true;
      break;
    }
    open.push_back(&coming);
  }
}

bool Crossings::add(const Reel& reel, const Clip& before, const ClipTimes& going, const Clip& after,
                    const ClipTimes& coming) {
  const ReelRange over{whole_in_reel(coming).begin, whole_in_reel(going).end};
  if (!(over.length().s >= least_cross_s) || going.clock.backwards() || coming.clock.backwards())
    return false;
  Crossing one{before.id, after.id, over, ClipTime{going.length.s} - in_clip(going, over.begin),
               in_clip(coming, over.end) - ClipTime{0}};
  if (!(one.out.s > 0 && one.in.s > 0 && std::max(one.out.s, one.in.s) <= longest_fade_s))
    return false;
  if (const Crossfade* known = find_crossfade(reel, before.id, after.id)) {
    one.alike = known->alike;
    one.middle = known->middle;
  }
  all_.push_back(one);
  return true;
}

const Crossfade* find_crossfade(const Reel& reel, ClipId before, ClipId after) {
  const auto at = place_of_pair(reel, before, after);
  return at == reel.crossfades.end() || pair_of(*at) != std::pair(before, after) ? nullptr : &*at;
}

void put_crossfade(Reel& reel, const Crossfade& known) {
  const auto at = place_of_pair(reel, known.before, known.after);
  if (at != reel.crossfades.end() && pair_of(*at) == pair_of(known))
    reel.crossfades[static_cast<size_t>(at - reel.crossfades.begin())] = known;
  else
    reel.crossfades.insert(at, known);
}

namespace edits {

void keep_as_layered(Reel& reel, const std::function<bool(ClipId before, ClipId after)>& crossed) {
  const Crossings found(reel);
  for (const Crossing& c : found.all())
    if (!crossed(c.before, c.after)) clip_in(reel, c.after).layered = true;
}

namespace {

bool settle_row(Reel& next, const Reel& before, std::optional<GroupId> row,
                const std::function<double(const Reel&, const Crossing&)>& alike) {
  const Crossings now(next, row);
  if (now.all().empty()) return false;
  const Crossings was(before, row);
  bool told = false;
  for (const Crossing& c : now.all()) {
    const Crossing* old = was.into(c.after);
    const Clip &going = *std::as_const(next).find(c.before),
               &coming = *std::as_const(next).find(c.after);
    const auto same_sound = [&](const Clip& clip) {
      const Clip* then = before.find(clip.id);
      return then && next.source_of(clip) == before.source_of(*then);
    };
    const bool same = old && old->before == c.before && old->over == c.over && old->out == c.out &&
                      old->in == c.in && same_sound(going) && same_sound(coming);
    const Crossfade* known = find_crossfade(next, c.before, c.after);
    if (same && known) continue;
    const double value = std::clamp(alike(next, c), -1.0, 1.0);
    if (known && known->alike == value) continue;
    put_crossfade(next, {c.before, c.after, value, known ? known->middle : middle_of_fade});
    told = true;
  }
  return told;
}

}  // namespace

bool settle_alike(Reel& next, const Reel& before,
                  const std::function<double(const Reel&, const Crossing&)>& alike) {
  const Change change = difference(before, next);
  if (change.all_rows) return settle_row(next, before, std::nullopt, alike);
  bool told = false;
  for (const GroupId row : change.rows) told = settle_row(next, before, row, alike) || told;
  return told;
}

Edit set_middle(const Reel& reel, ClipId before, ClipId after, double middle) {
  Edit edit{reel, {}};
  const Clip &going = clip_in(reel, before), &coming = clip_in(reel, after);
  const Crossings row(reel, going.group);
  const Crossing* crossing = row.into(after);
  if (!crossing || crossing->before != before)
    throw impossible(fmt::format("{} and {} are not crossfaded.", going.name, coming.name));
  put_crossfade(edit.next, {before, after, crossing->alike,
                            std::isfinite(middle) ? std::clamp(middle, least_middle, most_middle)
                                                  : middle_of_fade});
  edit.merge = fmt::format("crossfade of clips {} and {}", before, after);
  edit.label = fmt::format("Crossfade {} into {}", going.name, coming.name);
  return edit;
}

Edit set_layered(const Reel& reel, ClipId clip, bool layered) {
  require_clip(clip, "lies on nothing");
  Draft d(reel, clip);
  d.clip.layered = layered;
  return d.done(layered ? fmt::format("Layer {}", d.clip.name)
                        : fmt::format("Crossfade {} with what it overlaps", d.clip.name));
}

}  // namespace edits
}  // namespace drevan
