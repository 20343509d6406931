// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/many.h"

#include <fmt/format.h>

#include <algorithm>

#include "reel/edits/draft.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"

namespace drevan::edits {

namespace {

std::vector<ChainStep> fresh_steps(const Recipe& recipe) {
  auto steps = for_everyone(recipe.chain).steps;
  for (auto& step : steps) step.id = 0;
  return steps;
}

std::string what_is_pasted(const Recipe& recipe) {
  return recipe.chain.steps.size() == 1 ? std::string(recipe.chain.steps[0].type->label)
                                        : counted(recipe.chain.steps.size(), "step");
}

void insert_at(std::vector<ChainStep>& into, int index, const std::vector<ChainStep>& steps) {
  const auto at = index < 0 ? into.size() : std::min(static_cast<size_t>(index), into.size());
  into.insert(into.begin() + static_cast<std::ptrdiff_t>(at), steps.begin(), steps.end());
}

ChainStep& gain_step(Clip& clip) {
  auto& steps = clip.chain.steps;
  const auto still = [](const ChainStep& s) { return is(s, Role::gain) && s.curves.empty(); };
  const auto last = std::ranges::find_if(steps.rbegin(), steps.rend(), still);
  if (last != steps.rend()) return *last;
  auto at = steps.end();
  while (at != steps.begin() && is(*(at - 1), Role::limiter)) --at;
  return *steps.insert(at, make_step(Role::gain));
}

}  // namespace

Edit paste_steps(const Reel& reel, std::span<const ClipId> clips, const Recipe& recipe, int index) {
  if (recipe.chain.steps.empty()) throw impossible("There are no steps to paste.");
  Edit edit{reel, fmt::format("Paste {}", what_is_pasted(recipe))};
  for (const ClipId id : clips)
    insert_at(clip_in(edit.next, id).chain.steps, index, fresh_steps(recipe));
  settle_step_ids(edit.next);
  if (clips.size() > 1) edit.told = fmt::format("Pasted into {}", counted(clips.size(), "clip"));
  return edit;
}

Edit paste_steps_into(const Reel& reel, ClipId clip, StepPlace at, const Recipe& recipe) {
  Draft d(reel, clip);
  auto steps = fresh_steps(recipe);
  if (at.owner != ChainOwner::clip)
    for (auto& step : steps) shift_curves(step, d.clip.place.s);
  insert_at(d.steps(at.owner), at.index, steps);
  return d.done(fmt::format("Paste {}", what_is_pasted(recipe)));
}

Edit paste_settings(const Reel& reel, ClipId clip, StepId step, const Recipe& recipe) {
  Draft d(reel, clip);
  ChainStep& to = d.step(step);
  if (recipe.chain.steps.size() != 1)
    throw impossible("Copy one step alone to paste its settings.");
  const ChainStep& from = recipe.chain.steps.front();
  if (from.type != to.type)
    throw impossible(
        fmt::format("The settings of {} do not fit {}.", from.type->label, to.type->label));
  const bool shared = d.place(step).owner != ChainOwner::clip;
  to.settings = from.settings;
  to.curves = from.curves;
  to.on = from.on;
  if (shared) shift_curves(to, d.clip.place.s);
  return d.done(fmt::format("Paste settings of {}", to.type->label));
}

Edit take_steps_off(const Reel& reel, std::span<const ClipId> clips) {
  Edit edit{reel, fmt::format("Take the steps off {}", counted(clips.size(), "clip"))};
  for (const ClipId id : clips) clip_in(edit.next, id).chain.steps.clear();
  return edit;
}

Edit nudge_gain(const Reel& reel, std::span<const ClipId> clips, double by_db) {
  Edit edit{reel, fmt::format("{} by {:+.1f} dB", counted(clips.size(), "clip"), by_db)};
  for (const ClipId id : clips) {
    ChainStep& step = gain_step(clip_in(edit.next, id));
    const Parameter& p = step.type->parameters[0];
    step.settings.values[0] = std::clamp(step.settings.values[0] + by_db, p.least, p.most);
  }
  settle_step_ids(edit.next);
  edit.merge = "nudge of " + fmt::format("{}", fmt::join(clips, ","));
  return edit;
}

Edit turn_alike(const Reel& reel, std::span<const ClipId> clips, const StepType& type,
                int parameter, double value) {
  const Parameter& p = type.parameters.at(static_cast<size_t>(parameter));
  if (!in_range(p, value)) throw impossible(fmt::format("{} cannot be {}.", p.label, value));
  Edit edit{reel,
            fmt::format("{}: {} of {}", type.label, lower(p.label), counted(clips.size(), "clip"))};
  size_t count = 0;
  for (const ClipId id : clips)
    for (auto& step : clip_in(edit.next, id).chain.steps) {
      if (step.type != &type) continue;
      step.settings.values[static_cast<size_t>(parameter)] = value;
      ++count;
    }
  if (count == 0)
    throw impossible(fmt::format("None of the marked clips has {} in its own chain.", type.label));
  edit.told = fmt::format("{} set", counted(count, "step"));
  edit.merge = fmt::format("turn alike {} {}", type.id, p.id);
  return edit;
}

Edit rename_by_pattern(const Reel& reel, std::span<const ClipId> clips,
                       const std::string& pattern) {
  Edit edit{reel, fmt::format("Rename {}", counted(clips.size(), "clip"))};
  const auto digits = fmt::format("{}", clips.size()).size();
  int number = 0;
  for (const ClipId id : clips) {
    require_clip(id, "is called after its reel");
    Clip& clip = clip_in(edit.next, id);
    ++number;
    std::string name;
    for (size_t at = 0; at < pattern.size();) {
      const size_t open = std::min(pattern.find('{', at), pattern.size());
      name += pattern.substr(at, open - at);
      if (open == pattern.size()) break;
      const size_t close = pattern.find('}', open);
      const auto word = pattern.substr(open, close == std::string::npos ? close : close - open + 1);
      if (word == "{name}")
        name += clip.name;
      else if (word == "{group}")
        name += edit.next.group_of(clip).name;
      else if (word == "{number}")
        name += fmt::format("{:0{}}", number, digits);
      else
        throw impossible(
            fmt::format("{} is no word of a pattern; there are {{name}}, {{group}} and "
                        "{{number}}.",
                        word));
      at = close + 1;
    }
    clip.name = proper_name(name, "A clip");
  }
  return edit;
}

}  // namespace drevan::edits
