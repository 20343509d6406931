// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/planning/plan.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/hash.h"
#include "reel/sides.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace {

bool shares(const ChainStep& step) { return step.type->shares && step.type->shares(step.settings); }

PlannedSide planned_side(ClipPlan plan) {
  PlannedSide out;
  out.key = stage_keys(plan).back();
  out.plan = std::make_shared<const ClipPlan>(std::move(plan));
  return out;
}

PlannedSide file_side(const std::filesystem::path& file, double rate) {
  return planned_side({{file, 0, -1, rate, {}}, {}});
}

PlannedStep planned_step(const ChainStep& step) {
  return {step.id, step.type, step.settings, step.curves, {}, {}};
}

// Without a reel.
std::vector<PlannedSide> planned_sides(const ChainStep& step, double rate) {
  std::vector<PlannedSide> out;
  for (const auto& choice : step.sides) {
    PlannedSide& side = out.emplace_back();
    if (choice.from == SideChoice::From::file) side = file_side(choice.file, rate);
    if (choice.from == SideChoice::From::clip)
      side.missing = fmt::format("{} hears nothing beside its own sound: the clip {} is not here.",
                                 step.type->label, choice.name);
  }
  return out;
}

// What may ring on after a clip's end and be heard, seconds: curves matter as far.
constexpr double ringing_s = 10;

void add_curves(Hasher& h, const PlannedStep& step) {
  for (const auto& track : step.tracks) {
    h.add(track.parameter).add(track.curve->points.size());
    for (const auto& p : track.curve->points)
      h.add(p.s).add(p.value).add(static_cast<int>(p.shape));
  }
}

void add_texts(Hasher& h, const PlannedStep& step) {
  for (size_t i = 0; i < step.settings.texts.size(); ++i) {
    const auto& text = step.settings.texts[i];
    step.type->texts[i].is_file() && !text.empty() ? h.add_file(text) : h.add(text);
  }
}

void add_sides(Hasher& h, const PlannedStep& step) {
  for (size_t i = 0; i < step.sides.size(); ++i)
    if (step.sides[i].plan) h.add(i).add(step.sides[i].key);
}

void add_room_tone(Hasher& h, const ClipSound& sound) {
  const auto add = [&](const ClipRange& range) { h.add(range.begin.s).add(range.end.s); };
  h.add(sound.room_tone.has_value());
  if (sound.room_tone) return add(*sound.room_tone);
  if (!sound.has_room_tone()) return;
  h.add(identity(*sound.shared_tone));
  add(*sound.shared_tone->room_tone);
}

}  // namespace

// The clips that a step of the clip's group or of the reel serves, with the sound that reaches it. Steps before it
// that share in their turn find their own peers.
std::shared_ptr<const CommonClips> Planner::common(const Clip& clip, const RunningStep& served) {
  const auto place = std::tuple(clip.group, served.owner, served.index);
  if (const auto at = made_->find(place); at != made_->end()) return at->second;
  // The chains as they are up to this step; what comes later is cut off for all.
  Reel before = reel_;
  auto& group = before.at(clip.group).chain.steps;
  (served.owner == ChainOwner::group ? group : before.chain.steps).resize(served.index);
  if (served.owner == ChainOwner::group) before.chain = {};
  // Of the steps before it each is known, or will be, under the same place: what learns in common is made once,
  // however many such steps follow each other.
  Planner earlier(before, made_, rows_);
  auto all = std::make_shared<CommonClips>();
  Hasher h;
  for (const auto& peer : before.clips) {
    if (peer.group != clip.group || !runs(reel_, peer, served.owner, *served.step)) continue;
    if (peer.id != clip.id && left_out(before, peer)) continue;
    if (check_source(reel_.source_of(peer), false) == SourceState::missing) {
      all->left_out.push_back(peer.name);
      continue;
    }
    all->peers.push_back(earlier.plan(peer));
    h.add(stage_keys(all->peers.back()).back());
  }
  all->key = h.value();
  (*made_)[place] = all;
  return all;
}

ClipPlan Planner::plan(const Clip& clip, ChainOwner last) {
  ClipPlan out = own_plan(clip);
  const auto all = running_steps(reel_, clip);
  for (size_t i = 0; i < all.size(); ++i) {
    const RunningStep& running = all[i];
    if (running.owner == ChainOwner::clip) continue;
    if (running.owner > last) break;
    PlannedStep& step = out.steps.emplace_back(planned_step(*running.step));
    step.by_place = true;
    if (!step.tracks.empty()) step.tracks = own_tracks(running, times_before(reel_, clip, i));
    for (const auto& choice : running.step->sides)
      step.sides.push_back(side(choice, *running.step, clip));
    if (shares(*running.step)) out.steps.back().common = common(clip, running);
  }
  return out;
}

PlannedSide Planner::side(const SideChoice& choice, const ChainStep& step, const Clip& listener) {
  if (choice.from == SideChoice::From::nothing) return {};
  if (choice.from == SideChoice::From::file) return file_side(choice.file, reel_.rate);
  const Clip* other = side_clip(reel_, choice);
  if (!other)
    return {
        {},
        0,
        fmt::format("{}: {} hears nothing beside its own sound: the clip {} is not in the reel.",
                    listener.name, step.type->label, choice.name)};
  // Edits and files do not let it come to this.
  if (other->id == listener.id || std::ranges::find(listening_, other->id) != listening_.end())
    require_no_rings(reel_);
  return planned_side(own_plan(*other));
}

ClipSound Planner::sound_of(const Clip& clip) {
  if (is_bus(clip)) return clip_sound(reel_, clip);
  const auto row = rows_->made.find(clip.group);
  if (row != rows_->made.end()) return clip_sound(reel_, clip, row->second);
  const Crossings fresh(rows_->reel, clip.group);
  return clip_sound(reel_, clip, rows_->made.emplace(clip.group, fresh).first->second);
}

ClipPlan Planner::own_plan(const Clip& clip) {
  ClipPlan out{sound_of(clip)};
  listening_.push_back(clip.id);
  for (const auto& step : clip.chain.steps) {
    if (!step.on) continue;
    PlannedStep& own = out.steps.emplace_back(planned_step(step));
    for (const auto& choice : step.sides) own.sides.push_back(side(choice, step, clip));
  }
  listening_.pop_back();
  return out;
}

std::vector<Track> own_tracks(const RunningStep& running, const ClipTimes& before) {
  std::vector<Track> out = tracks_entering(running, before);
  if (running.owner == ChainOwner::clip) return out;
  for (auto& track : out) {
    // What is far from the clip has no part in its key; what leads it may begin earlier.
    const Curve& whole = *track.curve;
    const HeardRange sounds = whole_heard(before);
    track.curve = std::make_shared<const Curve>(
        within(whole, before.clock.identity() ? 0 : -ringing_s, sounds.end.s + ringing_s));
  }
  return out;
}

void place_tracks(PlannedStep& step, double lead_s) {
  if (!std::exchange(step.by_place, false) || lead_s == 0) return;
  for (Track& track : step.tracks)
    track.curve = std::make_shared<const Curve>(shifted(*track.curve, lead_s));
}

ClipPlan plan_of(const Reel& reel, const Clip& clip) { return Planner(reel).plan(clip); }

ClipPlan own_plan_of(const Reel& reel, const Clip& clip) { return Planner(reel).own_plan(clip); }

ClipPlan plan_of(ClipSound sound, const Chain& chain) {
  const double rate = sound.rate;
  return {std::move(sound), planned(chain, rate)};
}

std::vector<PlannedStep> planned(const Chain& chain, double rate,
                                 std::span<const PlannedStep> then) {
  std::vector<PlannedStep> out;
  for (const auto& step : chain.steps) {
    if (!step.on) continue;
    out.push_back(planned_step(step));
    out.back().sides = planned_sides(step, rate);
  }
  out.insert(out.end(), then.begin(), then.end());
  return out;
}

std::vector<int> stage_channels(std::span<const PlannedStep> steps, int in) {
  std::vector<int> out{in};
  for (const auto& step : steps) out.push_back(channels_out(*step.type, step.settings, out.back()));
  return out;
}

std::vector<Stage> stages_of(const ClipPlan& plan, const SoundShape& clip) {
  const auto keys = stage_keys(plan);
  const auto channels = stage_channels(plan.steps, clip.channels);
  std::vector<Stage> out{{keys[0], clip, {}}};
  for (size_t i = 0; i < plan.steps.size(); ++i) {
    const PlannedStep& step = plan.steps[i];
    Stage next{keys[i + 1], {clip.rate, channels[i + 1], out[i].shape.frames}, out[i].from_clip};
    if (step.type->rewrite) {
      const auto rewriter =
          step.type->rewrite(step.settings, {{clip.rate, channels[i], 4096}, step.tracks});
      next.shape.frames = rewriter->length(out[i].shape.frames);
      next.from_clip = next.from_clip.then(rewriter->map(out[i].shape.frames));
    }
    out.push_back(std::move(next));
  }
  return out;
}

std::vector<std::uint64_t> stage_keys(const ClipPlan& plan) {
  std::vector<std::uint64_t> keys{identity(plan.sound)};
  bool may_lead = false;
  for (const auto& step : plan.steps) {
    Hasher h;
    h.add(keys.back()).add(step.type->id).add(step.type->revision);
    for (const double v : step.settings.values) h.add(v);
    add_texts(h, step);
    add_curves(h, step);
    // Behind what leads it matters whose moments they count: see place_tracks().
    if (may_lead && step.by_place && !step.tracks.empty()) h.add(true);
    may_lead = may_lead || step.type->rewrite;
    if (step.type->hears == Hears::room_tone) add_room_tone(h, plan.sound);
    if (step.common) h.add(step.common->key);
    add_sides(h, step);
    keys.push_back(h.value());
  }
  return keys;
}

bool finding_holds(const StepType& type, const Settings& before, const Settings& now) {
  for (size_t p = 0; p < type.parameters.size(); ++p)
    if (type.parameters[p].learned_from && before[p] != now[p]) return false;
  return true;
}

std::uint64_t finding_key(std::uint64_t input, const ClipPlan& plan, size_t i) {
  const PlannedStep& step = plan.steps[i];
  Hasher h;
  h.add(step.common ? step.common->key : input).add(step.type->id).add(step.type->revision);
  // How loud a step comes out depends on all that it is set to.
  const bool all = keeps_level(*step.type, step.settings);
  for (size_t p = 0; p < step.settings.values.size(); ++p)
    if (all || step.type->parameters[p].learned_from) h.add(step.settings[p]);
  if (all) {
    add_texts(h, step);
    add_curves(h, step);
    add_sides(h, step);
  }
  if (step.type->hears == Hears::room_tone) add_room_tone(h, plan.sound);
  return h.value();
}

}  // namespace drevan
