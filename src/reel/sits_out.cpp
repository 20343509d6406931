// SPDX-License-Identifier: GPL-3.0-or-later
// Clips that pass steps, or all of their group's chain, by.
#include <algorithm>

#include "reel/reel.h"

namespace drevan {

void take_group_chain(const Reel& reel, Clip& clip) {
  for (const auto& step : reel.group_of(clip).chain.steps)
    if (runs(reel, clip, ChainOwner::group, step)) {
      ChainStep own = step;
      own.sits_out.clear();
      own.id = 0;
      shift_curves(own, -clip.place.s);
      clip.chain.steps.push_back(std::move(own));
    }
}

namespace {

void put(std::vector<ClipId>& ids, ClipId id, bool in) {
  const auto at = std::ranges::lower_bound(ids, id);
  const bool there = at != ids.end() && *at == id;
  if (in && !there) ids.insert(at, id);
  if (!in && there) ids.erase(at);
}

// Every list of clips that sit out, the group that it is of (nullptr: the reel), and what they sit
// out of.
template <class Do>
void each_list(const Reel& reel, Do&& act) {
  for (const Group& group : reel.groups) {
    act(&group, group.sits_out, "the group's chain");
    for (const auto& step : group.chain.steps) act(&group, step.sits_out, step.type->label);
  }
  for (const auto& step : reel.chain.steps) act(nullptr, step.sits_out, step.type->label);
}

bool holds(const std::vector<ClipId>& ids, ClipId id) {
  return std::ranges::binary_search(ids, id);
}

// Changes all lists that `id` stands in, and no group but theirs.
template <class Change>
void change_lists_of(Reel& reel, ClipId id, Change change) {
  const auto in_steps = [&](const Chain& chain) {
    return std::ranges::any_of(chain.steps, [&](const auto& s) { return holds(s.sits_out, id); });
  };
  const auto change_steps = [&](Chain& chain) {
    for (auto& step : chain.steps)
      if (holds(step.sits_out, id)) change(step.sits_out);
  };
  reel.groups.change_where(
      [&](const Group& g) { return holds(g.sits_out, id) || in_steps(g.chain); },
      [&](Group& g) {
        if (holds(g.sits_out, id)) change(g.sits_out);
        change_steps(g.chain);
      });
  change_steps(reel.chain);
}

}  // namespace

void sit_out_of_group(Reel& reel, ClipId clip_id, bool out) {
  const Clip* clip = reel.find(clip_id);
  if (clip && !is_bus(*clip)) put(reel.at(clip->group).sits_out, clip_id, out);
}
bool sits_out_of_group(const Reel& reel, const Clip& clip) {
  return holds(reel.group_of(clip).sits_out, clip.id);
}

void sit_out_of_step(ChainStep& step, ClipId clip_id, bool out) {
  put(step.sits_out, clip_id, out);
}

std::vector<std::string> sits_out_of(const Reel& reel, const Clip& clip) {
  std::vector<std::string> out;
  each_list(reel, [&](const Group* of, const std::vector<ClipId>& ids, std::string_view what) {
    if ((!of || of->id == clip.group) && holds(ids, clip.id)) out.emplace_back(what);
  });
  return out;
}

void sit_out_alike(Reel& reel, ClipId clip_id, ClipId copy) {
  change_lists_of(reel, clip_id, [&](std::vector<ClipId>& ids) { put(ids, copy, true); });
}

void take_part(Reel& reel, ClipId clip_id) {
  change_lists_of(reel, clip_id, [&](std::vector<ClipId>& ids) { put(ids, clip_id, false); });
}

}  // namespace drevan
