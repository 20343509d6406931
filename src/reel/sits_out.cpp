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

void put(std::vector<ClipId>& ids, int id, bool in) {
  const auto at = std::ranges::lower_bound(ids, id);
  const bool there = at != ids.end() && *at == id;
  if (in && !there) ids.insert(at, id);
  if (!in && there) ids.erase(at);
}

// Every list of clips that sit out, and what they sit out of.
template <class AnyReel, class Do>
void each_list(AnyReel& reel, Do&& act) {
  for (size_t g = 0; g < reel.groups.size(); ++g) {
    act(static_cast<int>(g), reel.groups[g].sits_out, "the group's chain");
    for (auto& step : reel.groups[g].chain.steps)
      act(static_cast<int>(g), step.sits_out, step.type->label);
  }
  for (auto& step : reel.chain.steps) act(-1, step.sits_out, step.type->label);
}

}  // namespace

void sit_out_of_group(Reel& reel, ClipId clip_id, bool out) {
  const Clip* clip = reel.find(clip_id);
  if (clip && !is_bus(*clip))
    put(reel.groups.at(static_cast<size_t>(clip->group)).sits_out, clip_id, out);
}
bool sits_out_of_group(const Reel& reel, const Clip& clip) {
  return std::ranges::binary_search(reel.group_of(clip).sits_out, clip.id);
}

void sit_out_of_step(ChainStep& step, ClipId clip_id, bool out) { put(step.sits_out, clip_id, out); }

std::vector<std::string> sits_out_of(const Reel& reel, const Clip& clip) {
  std::vector<std::string> out;
  each_list(reel, [&](int group, const std::vector<ClipId>& ids, std::string_view what) {
    if ((group < 0 || group == clip.group) && std::ranges::binary_search(ids, clip.id))
      out.emplace_back(what);
  });
  return out;
}

void sit_out_alike(Reel& reel, ClipId clip_id, int copy) {
  each_list(reel, [&](int, std::vector<ClipId>& ids, std::string_view) {
    if (std::ranges::binary_search(ids, clip_id)) put(ids, copy, true);
  });
}

void take_part(Reel& reel, ClipId clip_id) {
  each_list(reel, [&](int, std::vector<ClipId>& ids, std::string_view) { put(ids, clip_id, false); });
}

}  // namespace drevan
