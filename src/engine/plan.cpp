#include "engine/plan.h"

#include <algorithm>

#include "audio/hash.h"

namespace drevan {

namespace {

bool shares(const ChainStep& step) { return step.type->shares && step.type->shares(step.settings); }

PlannedStep planned_step(const ChainStep& step) {
  return {step.id, step.type, step.settings, step.curves, {}};
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

void add_room_tone(Hasher& h, const ClipSound& sound) {
  const auto add = [&](const SecondsRange& range) { h.add(range.begin).add(range.end); };
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
  auto& group = before.groups[static_cast<size_t>(clip.group)].chain.steps;
  (served.owner == ChainOwner::group ? group : before.chain.steps).resize(served.index);
  if (served.owner == ChainOwner::group) before.chain = {};
  // Of the steps before it each is known, or will be, under the same place: what learns in common is made once,
  // however many such steps follow each other.
  Planner earlier(before, made_);
  auto all = std::make_shared<CommonClips>();
  Hasher h;
  for (const auto& peer : before.clips) {
    if (peer.group != clip.group || !runs(reel_, peer, served.owner, *served.step)) continue;
    if (check_source(reel_.source_of(peer), false) ==
        SourceState::missing) {
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

ClipPlan Planner::plan(const Clip& clip) {
  ClipPlan out{clip_sound(reel_, clip)};
  for (const auto& running : running_steps(reel_, clip)) {
    PlannedStep& step = out.steps.emplace_back(planned_step(*running.step));
    const bool rewritten = std::ranges::any_of(
        out.steps, [](const PlannedStep& s) { return s.type->rewrite != nullptr; });
    step.tracks = own_tracks(reel_, clip, running, rewritten);
    if (running.owner != ChainOwner::clip && shares(*running.step))
      out.steps.back().common = common(clip, running);
  }
  return out;
}

std::vector<Track> own_tracks(const Reel& reel, const Clip& clip, const RunningStep& running,
                              bool behind_rewriter) {
  std::vector<Track> out = running.step->curves;
  if (running.owner == ChainOwner::clip) return out;
  for (auto& track : out) {
    Curve own = shifted(*track.curve, -clip.place_s);
    // What is far from the clip has no part in its key.
    if (!behind_rewriter) own = within(own, 0, clip_seconds(reel, clip) + ringing_s);
    track.curve = std::make_shared<const Curve>(std::move(own));
  }
  return out;
}

ClipPlan plan_of(const Reel& reel, const Clip& clip) { return Planner(reel).plan(clip); }

ClipPlan own_plan_of(const Reel& reel, const Clip& clip) {
  return plan_of(clip_sound(reel, clip), clip.chain);
}

ClipPlan plan_of(ClipSound sound, const Chain& chain) { return {std::move(sound), planned(chain)}; }

std::vector<PlannedStep> planned(const Chain& chain, std::span<const PlannedStep> then) {
  std::vector<PlannedStep> out;
  for (const auto& step : chain.steps)
    if (step.on) out.push_back(planned_step(step));
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
  for (const auto& step : plan.steps) {
    Hasher h;
    h.add(keys.back()).add(step.type->id).add(step.type->revision);
    for (const double v : step.settings.values) h.add(v);
    add_curves(h, step);
    if (step.type->hears == Hears::room_tone) add_room_tone(h, plan.sound);
    if (step.common) h.add(step.common->key);
    keys.push_back(h.value());
  }
  return keys;
}

std::uint64_t finding_key(std::uint64_t input, const ClipPlan& plan, size_t i) {
  const PlannedStep& step = plan.steps[i];
  Hasher h;
  h.add(step.common ? step.common->key : input).add(step.type->id).add(step.type->revision);
  for (size_t p = 0; p < step.settings.values.size(); ++p)
    if (step.type->parameters[p].learned_from) h.add(step.settings[p]);
  if (step.type->hears == Hears::room_tone) add_room_tone(h, plan.sound);
  return h.value();
}

}  // namespace drevan
