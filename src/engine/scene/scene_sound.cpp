// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/scene_sound.h"

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "reel/files/json_file.h"
#include "reel/scene/sends.h"

namespace drevan {

namespace fs = std::filesystem;

namespace {

std::shared_ptr<const SoundCourse> kept_course(const fs::path& file) {
  std::error_code error;
  if (file.empty() || !fs::exists(file, error)) return nullptr;
  try {
    return course_from_bytes(read_text(file));
  } catch (const Error&) {  // it is made anew
    return nullptr;
  }
}

void keep_course(const fs::path& file, const SoundCourse& course) {
  if (file.empty()) return;
  std::error_code error;
  fs::create_directories(file.parent_path(), error);
  try {
    ReplacementFile to(file);
    to.write(to_bytes(course));
    to.commit();
  } catch (const Error&) {  // a cache that cannot be written is no harm
  }
}

}  // namespace

SceneSpace scene_space(const Reel& reel, const Space& space, BusPlan bus) {
  SceneSpace out{space.id(), std::move(bus), static_cast<float>(from_db(space.level_db)),
                 has_own_places(reel, space)};
  if (out.placed) out.bus.steps = late_of(std::move(out.bus.steps));
  return out;
}

PlayPlan play_plan(const ClipPlan& plan, const Processed& processed) {
  PlayPlan out;
  out.clip = plan;
  out.findings = processed.findings;
  out.sides = processed.sides;
  out.rewritten = processed.rewritten;
  out.rewritten_stage = processed.rewritten_stage;
  out.from_clip = processed.stages.back().from_clip;
  const double clip_s = processed.stages.front().shape.seconds();
  for (size_t i = 0; i < out.clip.steps.size(); ++i)
    place_tracks(out.clip.steps[i], lead_of(processed.stages[i].from_clip, clip_s));
  out.sounds = identity_of_sounds(out);
  return out;
}

SceneSound scene_sound(const ClipPlan& plan, FindingStore& store, const fs::path& cache,
                       const CancelToken& cancel) {
  SceneSound out;
  out.key = stage_keys(plan).back();
  const fs::path file = cache.empty() ? fs::path() : cache / (to_hex(out.key) + ".course");
  out.course = kept_course(file);
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  Processed processed;
  if (out.course) {
    processed = process_clip(plan, options, {});
  } else {
    const SoundShape clip = ClipReader(plan.sound).shape();
    const SoundShape leaves = stages_of(plan, clip).back().shape;
    SoundCourseMeter meter({leaves.rate, leaves.channels, 4096});
    RingTrim trim(leaves.frames, [&](const AudioBlock& b) { meter.hear(b); });
    processed = process_clip(plan, options, [&](const AudioBlock& b) { trim.hear(b); });
    out.course = std::make_shared<const SoundCourse>(meter.course());
    keep_course(file, *out.course);
  }
  out.plan = std::make_shared<const PlayPlan>(play_plan(plan, processed));
  out.foretold = stages_of(plan, processed.stages.front().shape).back().from_clip;
  // What nothing rings behind ends where it ends.
  out.channels = processed.stages.back().shape.channels;
  out.length =
      std::max(processed.stages.back().shape.frames, processed.stages.front().shape.frames);
  if (out.plan->clip.steps.size() > out.plan->rewritten_stage) {
    const PlayRun run(out.plan);
    out.channels = run.channels();
    out.length = run.end();
  }
  const SoundShape& clip = processed.stages.front().shape;
  out.lead = std::llround(lead_of(processed.stages.back().from_clip, clip.seconds()) * clip.rate);
  return out;
}

std::shared_ptr<const PlayPlan> kept_plan(const PlayPlan& plan, FindingStore& store,
                                          const CancelToken& cancel) {
  const SoundShape leaves = stages_of(plan.clip, ClipReader(plan.clip.sound).shape()).back().shape;
  const auto sound = std::make_shared<KeptSound>(leaves.rate, leaves.channels);
  bool fits = true;
  RingTrim trim(leaves.frames, [&](const AudioBlock& b) { fits = sound->write(b) && fits; });
  ProcessOptions options;
  options.store = &store;
  options.cancel = &cancel;
  process_clip(plan.clip, options, [&](const AudioBlock& b) { trim.hear(b); });
  if (!sound->finish() || !fits) throw temporary_disk_full();
  auto out = std::make_shared<PlayPlan>(plan);
  out->rewritten = sound;
  out->rewritten_stage = plan.clip.steps.size();
  return out;
}

SceneVoice scene_voice(const Reel& reel, const Clip& clip, const SceneSound& sound) {
  SceneVoice out;
  out.clip = clip.id;
  out.begin = frame_of(clip.place, reel.rate) - sound.lead;
  out.plan = sound.plan;
  out.channels = sound.channels;
  out.length = sound.length;
  out.direct = heard_direct(reel, clip);
  out.feeds = feeds_of(reel, clip, static_cast<double>(sound.lead) / reel.rate);
  return out;
}

}  // namespace drevan
