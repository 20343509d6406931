// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/draft.h"

#include <fmt/format.h>

#include "reel/change.h"

namespace drevan::edits {

Error impossible(const std::string& why) { return {Error::Kind::call, why}; }

std::string counted(size_t n, std::string_view what) {
  return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
}

std::string lower(std::string_view text) {
  std::string out(text);
  for (char& c : out)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return out;
}

std::string proper_name(std::string_view name, std::string_view what) {
  const auto first = name.find_first_not_of(" \t\n\r"), last = name.find_last_not_of(" \t\n\r");
  if (first == std::string_view::npos) throw impossible(fmt::format("{} needs a name.", what));
  const auto proper = name.substr(first, last - first + 1);
  if (proper.size() > most_name_bytes)
    throw impossible(fmt::format("That name is too long; {} bytes are the most.", most_name_bytes));
  return std::string(proper);
}

namespace {

template <class AnyReel>
auto& there(AnyReel& reel, ClipId id) {
  if (auto* clip = reel.find(id)) return *clip;
  throw impossible("That clip is not in the reel any more; nothing was changed.");
}

}  // namespace

Clip& clip_in(Reel& reel, ClipId id) { return there(reel, id); }
const Clip& clip_in(const Reel& reel, ClipId id) { return there(reel, id); }

Group& group_in(Reel& reel, GroupId group) {
  if (Group* there = reel.find(group)) return *there;
  throw impossible("That group is not in the reel any more; nothing was changed.");
}

void require_clip(ClipId clip, const char* what) {
  if (is_bus(clip))
    throw impossible(fmt::format("{} {}.", clip == mix_clip_id ? "The mix" : "A space", what));
}

Edit Draft::done(std::string label) {
  edit.label = std::move(label);
  if (may_bring_steps(difference(before, edit.next), before, edit.next)) settle_step_ids(edit.next);
  return std::move(edit);
}

StepPlace Draft::place(StepId id) const {
  if (const auto place = place_of(edit.next, clip, id)) return *place;
  throw impossible(
      "That step is not there any more, or was only a recipe's preview; nothing was changed.");
}

ChainStep& Draft::step(StepId id) {
  const auto at = place(id);
  return steps(at.owner)[static_cast<size_t>(at.index)];
}

}  // namespace drevan::edits
