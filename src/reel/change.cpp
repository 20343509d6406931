// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/change.h"

#include <algorithm>
#include <iterator>
#include <optional>
#include <tuple>
#include <unordered_map>
#include <utility>

namespace drevan {

namespace {

template <class Any>
void put(std::vector<Any>& ids, Any id) {
  const auto at = std::ranges::lower_bound(ids, id);
  if (at == ids.end() || *at != id) ids.insert(at, id);
}

template <class Any>
bool holds(const std::vector<Any>& ids, Any id) {
  return std::ranges::binary_search(ids, id);
}

template <class Any>
void put_all(std::vector<Any>& ids, const std::vector<Any>& more) {
  std::vector<Any> both;
  std::ranges::set_union(ids, more, std::back_inserter(both));
  ids = std::move(both);
}

template <class Any>
void sort_once(std::vector<Any>& ids) {
  std::ranges::sort(ids);
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
}

// The steps that make a clock of their own.
bool rewrites_alike(const Chain& a, const Chain& b) {
  const auto rewriters = [](const Chain& chain) {
    std::vector<const ChainStep*> out;
    for (const auto& s : chain.steps)
      if (s.type->rewrite) out.push_back(&s);
    return out;
  };
  return std::ranges::equal(rewriters(a), rewriters(b),
                            [](const auto* s, const auto* t) { return *s == *t; });
}

bool is_take(const Clip& c) { return c.line != 0 || c.made_into != 0; }

// Whether both take the same room in their row.
bool stand_alike(const Clip& a, const Clip& b) {
  return a.group == b.group && a.place == b.place && a.begin == b.begin && a.frames == b.frames &&
         a.source == b.source && a.layered == b.layered && rewrites_alike(a.chain, b.chain);
}

// What two lists of clips differ by.
class ClipDifference {
 public:
  ClipDifference(const Reel& before, const Reel& after, Change& out)
      : was_(before.clips), is_(after.clips), out_(out) {}

  // Tells of each pair that is not one in memory but equal.
  template <class Equal>
  void run(Equal equal) {
    size_t kept = 0;
    for (size_t i = 0; i < is_.size(); ++i) {
      const auto j = place_before(i);
      if (!j) {
        changed(is_[i]);
        out_.order = true;
        continue;
      }
      ++kept;
      if (*j != i) out_.order = true;
      if (is_.same(i, was_, *j)) continue;
      if (is_[i] == was_[*j])
        equal(i, *j);
      else
        changed(was_[*j], is_[i]);
    }
    if (kept != was_.size()) gone();
    sort_once(out_.clips);
    sort_once(out_.rows);
  }

 private:
  std::optional<size_t> place_before(size_t i) {
    if (i < was_.size() && (is_.same(i, was_, i) || is_[i].id == was_[i].id)) return i;
    if (places_.empty())
      for (size_t j = 0; j < was_.size(); ++j) places_.emplace(was_[j].id, j);
    const auto at = places_.find(is_[i].id);
    return at == places_.end() ? std::nullopt : std::optional(at->second);
  }
  void changed(const Clip& one) {
    out_.clips.push_back(one.id);
    out_.rows.push_back(one.group);
    if (is_take(one)) out_.all_rows = true;
  }
  void changed(const Clip& a, const Clip& b) {
    out_.clips.push_back(b.id);
    if (std::tie(a.line, a.chosen, a.made_into) != std::tie(b.line, b.chosen, b.made_into))
      out_.all_rows = true;
    if (stand_alike(a, b)) return;
    out_.rows.push_back(a.group);
    out_.rows.push_back(b.group);
  }
  void gone() {
    std::vector<ClipId> there;
    for (const Clip& c : is_) there.push_back(c.id);
    std::ranges::sort(there);
    for (const Clip& c : was_)
      if (!holds(there, c.id)) changed(c);
    out_.order = true;
  }

  const SharedList<Clip>&was_, &is_;
  Change& out_;
  std::unordered_map<ClipId, size_t> places_;
};

// Whether any differ; `equal(i)` tells of each pair that is not one in memory but equal.
template <class T, class Equal, class Differs>
void compare(const SharedList<T>& before, const SharedList<T>& after, Equal equal,
             Differs differs) {
  if (after.same(before)) return;
  for (size_t i = 0; i < std::max(before.size(), after.size()); ++i) {
    if (i >= before.size() || i >= after.size())
      differs(i);
    else if (after.same(i, before, i))
      continue;
    else if (after[i] == before[i])
      equal(i);
    else
      differs(i);
  }
}

template <class T>
bool all_same(const SharedList<T>& a, const SharedList<T>& b) {
  for (size_t i = 0; i < a.size(); ++i)
    if (!a.same(i, b, i)) return false;
  return true;
}

// Both lists are sorted by their pairs.
void find_crossed(const SharedList<Crossfade>& before, const SharedList<Crossfade>& after,
                  std::vector<ClipId>& out) {
  if (after.same(before)) return;
  const auto pair = [](const Crossfade& c) { return std::pair(c.before, c.after); };
  const auto tell = [&](const Crossfade& c) {
    out.push_back(c.before);
    out.push_back(c.after);
  };
  auto a = before.begin();
  auto b = after.begin();
  while (a != before.end() || b != after.end()) {
    const bool only_a = b == after.end() || (a != before.end() && pair(*a) < pair(*b));
    const bool only_b = !only_a && (a == before.end() || pair(*b) < pair(*a));
    if (only_a || only_b || *a != *b) tell(only_b ? *b : *a);
    if (!only_b) ++a;
    if (!only_a) ++b;
  }
  sort_once(out);
}

bool differ_in_words(const Reel& a, const Reel& b) {
  const auto words = [](const Reel& r) {
    return std::tie(r.name, r.target, r.last_clip_id, r.last_space_id, r.last_event_id,
                    r.last_group_id, r.last_source_id, r.recording, r.reference);
  };
  return words(a) != words(b);
}

// `sharing`: where what is equal is put in the place of the new; nullptr: nowhere.
Change compare(const Reel& before, const Reel& after, Reel* sharing) {
  Change out;
  const auto list = [&](auto member, auto differs) {
    compare(
        before.*member, after.*member,
        [&](size_t i) {
          if (sharing) (sharing->*member).take(i, before.*member, i);
        },
        differs);
    // Then the list itself is the same as well, and costs no more than the one before.
    if (sharing && (after.*member).size() == (before.*member).size() &&
        all_same(after.*member, before.*member))
      sharing->*member = before.*member;
  };
  const auto flag = [](bool& of) { return [&of](size_t) { of = true; }; };
  list(&Reel::sources, [&](size_t i) {
    out.sources = true;
    if (i < before.sources.size()) out.sources_replaced = true;
  });
  list(&Reel::films, flag(out.films));
  list(&Reel::events, flag(out.events));
  list(&Reel::spaces, flag(out.spaces));
  list(&Reel::crossfades, [](size_t) {});
  find_crossed(before.crossfades, after.crossfades, out.crossed);
  list(&Reel::groups, [&](size_t i) {
    const Group* was = i < before.groups.size() ? &before.groups[i] : nullptr;
    const Group* is = i < after.groups.size() ? &after.groups[i] : nullptr;
    for (const Group* one : {was, is})
      if (one) out.groups.push_back(one->id);
    if (!was || !is || was->id != is->id)
      out.grouping = true;
    else if (!rewrites_alike(was->chain, is->chain) || was->sits_out != is->sits_out)
      out.rows.push_back(is->id);
  });
  sort_once(out.groups);
  if (!after.clips.same(before.clips)) {
    ClipDifference(before, after, out).run([&](size_t i, size_t j) {
      if (sharing) sharing->clips.take(i, before.clips, j);
    });
    if (sharing && !out.order && out.clips.empty()) sharing->clips = before.clips;
  } else {
    sort_once(out.rows);
  }
  out.rate = before.rate != after.rate;
  out.chain = before.chain != after.chain;
  out.mix = before.mix.chain != after.mix.chain;
  out.words = differ_in_words(before, after);
  if (out.rate || out.sources_replaced || out.grouping ||
      (out.chain && !rewrites_alike(before.chain, after.chain)))
    out.all_rows = true;
  return out;
}

}  // namespace

bool Change::nothing() const { return *this == Change{}; }
bool Change::has_clip(ClipId id) const { return holds(clips, id); }
bool Change::has_group(GroupId group) const { return grouping || holds(groups, group); }
bool Change::has_crossed(ClipId id) const { return holds(crossed, id); }
bool Change::has_row(GroupId group) const { return all_rows || holds(rows, group); }

void Change::merge(const Change& later) {
  put_all(clips, later.clips);
  put_all(groups, later.groups);
  put_all(rows, later.rows);
  put_all(crossed, later.crossed);
  for (const auto flag :
       {&Change::all_rows, &Change::order, &Change::grouping, &Change::sources,
        &Change::sources_replaced, &Change::films, &Change::events, &Change::spaces, &Change::rate,
        &Change::chain, &Change::mix, &Change::words})
    this->*flag = this->*flag || later.*flag;
}

Change Change::everything(const Reel& reel) {
  Change out;
  for (const Clip& c : reel.clips) put(out.clips, c.id);
  for (const Group& g : reel.groups) put(out.groups, g.id);
  out.rows = out.groups;
  out.crossed = out.clips;
  out.all_rows = out.order = out.grouping = out.sources = out.sources_replaced = out.films = true;
  out.events = out.spaces = out.rate = out.chain = out.mix = out.words = true;
  return out;
}

Change difference(const Reel& before, const Reel& after) { return compare(before, after, nullptr); }

Change share(Reel& next, const Reel& before) { return compare(before, next, &next); }

bool may_bring_steps(const Change& change, const Reel& before, const Reel& after) {
  if (change.spaces || change.grouping || change.order) return true;
  const auto brings = [](const Chain& was, const Chain& is) {
    return !std::ranges::equal(was.steps, is.steps, {}, &ChainStep::id, &ChainStep::id);
  };
  const auto group_brings = [&](GroupId g) {
    return brings(before.at(g).chain, after.at(g).chain);
  };
  const auto clip_brings = [&](ClipId id) {
    const Clip *was = before.find(id), *is = after.find(id);
    return was && is && brings(was->chain, is->chain);
  };
  return brings(before.chain, after.chain) || brings(before.mix.chain, after.mix.chain) ||
         std::ranges::any_of(change.groups, group_brings) ||
         std::ranges::any_of(change.clips, clip_brings);
}

bool may_sound_otherwise(const Change& change, const Reel& after, const Clip& clip) {
  // A bus sums them all, and what it was summed into is no part of a change.
  if (is_bus(clip)) return true;
  if (change.rate || change.chain || change.sources_replaced) return true;
  if (change.has_clip(clip.id) || change.has_crossed(clip.id) || change.has_group(clip.group) ||
      change.has_row(clip.group))
    return true;
  if (change.clips.empty() && change.groups.empty() && change.crossed.empty()) return false;
  // What it hears of other clips: as a side, or learned over all of its group.
  const auto of_others = [](const ChainStep& step) {
    return hears_sides(step) || (step.type->shares && step.type->shares(step.settings));
  };
  return after.group_of(clip).room_tone_clip != 0 ||
         std::ranges::any_of(owners_of(clip), [&](ChainOwner owner) {
           return std::ranges::any_of(chain_of(after, clip, owner).steps, of_others);
         });
}

}  // namespace drevan
