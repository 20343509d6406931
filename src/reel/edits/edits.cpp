// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/edits/edits.h"

#include <fmt/format.h>

#include <algorithm>

#include "reel/edits/draft.h"
#include "reel/sides.h"
#include "steps/curve_edit.h"

namespace drevan::edits {

namespace {

std::string moved_label(std::string_view what, ChainOwner from, ChainOwner to) {
  if (from == to) return fmt::format("Move {}", what);
  return fmt::format("{} for {}", what,
                     to == ChainOwner::clip    ? "this clip alone"
                     : to == ChainOwner::group ? "the whole group"
                                               : "the whole reel");
}

}  // namespace

Edit add_step(const Reel& reel, ClipId clip, StepPlace at, const StepType& type) {
  Draft d(reel, clip);
  auto& steps = d.steps(at.owner);
  const auto index = std::clamp(at.index, 0, static_cast<int>(steps.size()));
  steps.insert(steps.begin() + index, make_step(type.id));
  Edit edit = d.done(fmt::format("Add {}", type.label));
  edit.step =
      chain_of(edit.next, *edit.next.find(clip), at.owner).steps[static_cast<size_t>(index)].id;
  return edit;
}

Edit remove_step(const Reel& reel, ClipId clip, StepId step) {
  Draft d(reel, clip);
  const auto at = d.place(step);
  auto& steps = d.steps(at.owner);
  const auto label = steps[static_cast<size_t>(at.index)].type->label;
  steps.erase(steps.begin() + at.index);
  return d.done(fmt::format("Remove {}", label));
}

Edit move_step(const Reel& reel, ClipId clip, StepId step, StepPlace to) {
  Draft d(reel, clip);
  const auto from = d.place(step);
  ChainStep moved = d.step(step);
  auto& out = d.steps(from.owner);
  out.erase(out.begin() + from.index);
  if (from.owner == to.owner && to.index > from.index) --to.index;
  // Who sits out of a step of the group's has no meaning in another chain.
  if (from.owner != to.owner) moved.sits_out.clear();
  // A clip's curves count from its beginning, those of group and reel from the reel's: what is heard stays.
  if ((from.owner == ChainOwner::clip) != (to.owner == ChainOwner::clip))
    shift_curves(moved, to.owner == ChainOwner::clip ? -d.clip.place.s : d.clip.place.s);
  auto& in = d.steps(to.owner);
  in.insert(in.begin() + std::clamp(to.index, 0, static_cast<int>(in.size())), moved);
  Edit edit = d.done(moved_label(moved.type->label, from.owner, to.owner));
  edit.step = step;
  return edit;
}

Edit switch_step(const Reel& reel, ClipId clip, StepId step, bool on) {
  Draft d(reel, clip);
  d.step(step).on = on;
  const auto label = d.step(step).type->label;
  return d.done(fmt::format("Switch {} {}", on ? "on" : "off", label));
}

Edit turn(const Reel& reel, ClipId clip, StepId step, int parameter, double value) {
  Draft d(reel, clip);
  ChainStep& turned = d.step(step);
  const auto& type = *turned.type;
  const auto index = static_cast<size_t>(parameter);
  const Parameter& p = type.parameters.at(index);
  if (!in_range(p, value))
    throw impossible(fmt::format("{}: {} is no {}; it goes from {} to {}.", type.label, value,
                                 lower(p.label), value_text(p, p.least), value_text(p, p.most)));
  const Settings before = turned.settings;
  turned.settings.values[index] = value;
  if (type.takes_over && before[index] != value)
    type.takes_over(turned.settings, before, parameter);
  // A drag that sets two values at once is one edit as well.
  d.edit.merge = fmt::format("settings of step {}", step);
  return d.done(fmt::format("{}: {}", type.label, lower(type.parameters[index].label)));
}

Edit set_text(const Reel& reel, ClipId clip, StepId step, int index, const std::string& text) {
  Draft d(reel, clip);
  ChainStep& of = d.step(step);
  const TextParameter& p = of.type->texts.at(static_cast<size_t>(index));
  if (const auto fault = fault_of(p, text); !fault.empty())
    throw impossible(fmt::format("{} {}.", p.is_file() ? text : std::string(p.label), fault));
  of.settings.texts.at(static_cast<size_t>(index)) = text;
  // Files that are tried one after the other are one edit.
  if (p.is_file()) d.edit.merge = fmt::format("file {} of step {}", index, step);
  return d.done(fmt::format("{}: {}", of.type->label, lower(p.label)));
}

Edit set_settings(const Reel& reel, ClipId clip, StepId step, const Settings& settings,
                  const std::string& label) {
  Draft d(reel, clip);
  d.step(step).settings = settings;
  return d.done(label);
}

Edit set_curve(const Reel& reel, ClipId clip, StepId step, int parameter,
               std::optional<Curve> curve) {
  Draft d(reel, clip);
  ChainStep& turned = d.step(step);
  const auto& type = *turned.type;
  const auto& of = parameter_of_track(type, parameter);
  if (!may_follow_curve(type, parameter))
    throw impossible(fmt::format("{} cannot follow a curve.", of.label));
  if (curve) require_curve(*curve, of);
  std::erase_if(turned.curves, [&](const Track& t) { return t.parameter == parameter; });
  if (curve) {
    turned.curves.push_back({parameter, std::make_shared<const Curve>(std::move(*curve))});
    std::ranges::sort(turned.curves, {}, &Track::parameter);
  }
  d.edit.merge = fmt::format("curves of step {}", step);
  return d.done(fmt::format("{}: {} over time", type.label, lower(of.label)));
}

Edit set_side(const Reel& reel, ClipId clip, StepId step, int side, SideChoice choice) {
  Draft d(reel, clip);
  ChainStep& of = d.step(step);
  const auto& inputs = of.type->sides;
  const auto label =
      fmt::format("{}: {}", of.type->label, lower(inputs.at(static_cast<size_t>(side)).label));
  if (const Clip* other =
          choice.from == SideChoice::From::clip ? side_clip(reel, choice) : nullptr) {
    choice.clip = other->id;
    choice.name = other->name;
  }
  of.sides.resize(inputs.size());
  of.sides[static_cast<size_t>(side)] = std::move(choice);
  require_no_rings(d.edit.next);
  return d.done(label);
}

Edit sit_out(const Reel& reel, ClipId clip, StepId step, bool out) {
  Draft d(reel, clip);
  if (d.place(step).owner == ChainOwner::clip)
    throw impossible("A clip cannot sit out of its own steps; switch the step off.");
  ChainStep& of = d.step(step);
  sit_out_of_step(of, clip, out);
  const auto label = of.type->label;
  return d.done(fmt::format("{} {} {}", d.clip.name, out ? "sits out of" : "takes part in", label));
}

Edit sit_out_of_group(const Reel& reel, ClipId clip, bool out) {
  require_clip(clip, "is of no group");
  Draft d(reel, clip);
  drevan::sit_out_of_group(d.edit.next, clip, out);
  return d.done(
      fmt::format("{} {} its group's chain", d.clip.name, out ? "sits out of" : "takes part in"));
}

Edit take_part(const Reel& reel, std::span<const ClipId> clips) {
  Edit edit{reel, "Take part in everything"};
  for (const ClipId id : clips) drevan::take_part(edit.next, id);
  return edit;
}

Edit set_chain(const Reel& reel, ClipId clip, const Chain& chain, const std::string& label) {
  Draft d(reel, clip);
  d.clip.chain = chain;
  return d.done(label);
}

Edit use_recipe(const Reel& reel, ClipId clip, ChainOwner owner, const Recipe& recipe,
                bool append) {
  Draft d(reel, clip);
  auto& steps = d.steps(owner);
  if (!append) steps.clear();
  auto taken = for_everyone(recipe.chain).steps;
  // A recipe's curves count from where it is used: here, from where the clip stands.
  if (owner != ChainOwner::clip)
    for (auto& step : taken) shift_curves(step, d.clip.place.s);
  steps.insert(steps.end(), taken.begin(), taken.end());
  return d.done(fmt::format("Use recipe {}", recipe.name));
}

Edit copy_chain(const Reel& reel, ClipId from, std::span<const ClipId> to) {
  Draft d(reel, from);
  drevan::copy_chain(d.edit.next, from, to);
  d.edit.told = fmt::format("Chain copied to {}", counted(to.size(), "clip"));
  return d.done(fmt::format("Copy chain to {}", counted(to.size(), "clip")));
}

Edit add_clips(const Reel& reel, std::span<const NewClip> clips) {
  Edit edit{reel, "Add clips"};
  for (const auto& [source, group] : clips) add_clip(edit.next, source, group);
  return edit;
}

Edit remove_clips(const Reel& reel, std::span<const ClipId> clips) {
  for (const ClipId clip : clips)
    require_clip(clip, "is what all clips make together; it cannot be removed");
  Edit edit{reel, fmt::format("Remove {}", counted(clips.size(), "clip"))};
  drevan::remove_clips(edit.next, clips);
  return edit;
}

Edit rename_clip(const Reel& reel, ClipId clip, const std::string& name) {
  require_clip(clip, "is called after its reel");
  Draft d(reel, clip);
  d.clip.name = proper_name(name, "A clip");
  return d.done("Rename clip");
}

Edit set_room_tone(const Reel& reel, ClipId clip, std::optional<ClipRange> range) {
  require_clip(clip, "has no room of its own; mark the room tone in the clips");
  Draft d(reel, clip);
  if (range) {
    const double length = clip_seconds(reel, d.clip);
    range->begin.s = std::max(0.0, range->begin.s);
    range->end.s = std::min(length, range->end.s);
    require_room_tone(*range, length, d.clip.name);
  }
  d.clip.room_tone = range;
  return d.done(range ? "Mark room tone" : "Clear room tone");
}

Edit share_room_tone(const Reel& reel, ClipId clip, bool share) {
  require_clip(clip, "has no room tone");
  Draft d(reel, clip);
  if (share && !d.clip.room_tone)
    throw impossible(fmt::format("{} has no room tone to share; mark it first.", d.clip.name));
  d.group().room_tone_clip = share ? clip : 0;
  return d.done(share ? "Share room tone" : "Share no room tone");
}

Edit relink(const Reel& reel, ClipId clip, const std::filesystem::path& file) {
  require_clip(clip, "has no source; find those of the clips");
  Draft d(reel, clip);
  const int found = drevan::relink(d.edit.next, d.clip.source, file);
  d.edit.told = fmt::format("{} found again", counted(static_cast<size_t>(found), "source"));
  return d.done("Find source");
}

Edit go_to_version(const Reel& reel, ClipId clip, int version) {
  Draft d(reel, clip);
  drevan::go_to_version(d.clip, version);
  return d.done(fmt::format("Go to version {}", version));
}

Edit take_out_chain(const Reel& reel, ClipId clip, int version) {
  Draft d(reel, clip);
  drevan::take_out_chain(d.clip, version);
  return d.done(fmt::format("Take the chain out of version {}", version));
}

Edit clear_unused_versions(const Reel& reel) {
  const auto unused = unused_versions(reel);
  Edit edit{reel, fmt::format("Clear {}", counted(unused.size(), "unused version"))};
  drop_versions(edit.next, unused);
  std::uintmax_t bytes = 0;
  for (const auto& u : unused) bytes += u.bytes;
  edit.told = fmt::format(
      "{:.1f} MB will be free when the reel is closed; until then undo brings them back",
      static_cast<double>(bytes) / 1e6);
  return edit;
}

Edit set_rate(const Reel& reel, double rate) {
  if (!(rate >= 8000 && rate <= 384000))
    throw impossible(fmt::format("A reel can work at 8000 to 384000 Hz, not at {}.", rate));
  Edit edit{reel, fmt::format("The reel works at {:g} Hz", rate)};
  edit.next.rate = rate;
  return edit;
}

Edit set_target(const Reel& reel, const std::string& target) {
  Edit edit{reel, target.empty() ? "No target" : "Set target"};
  edit.next.target = target;
  return edit;
}

}  // namespace drevan::edits
