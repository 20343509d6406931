// SPDX-License-Identifier: GPL-3.0-or-later
// A clip made ready for the Scene: playable at its place, and how loud it is from moment to moment.
#pragma once

#include <filesystem>

#include "engine/rendering/process.h"
#include "engine/scene/scene_run.h"
#include "measure/sound_course.h"

namespace drevan {

struct SceneSound {
  std::uint64_t key = 0;  ///< of what leaves the clip's chains
  std::shared_ptr<const PlayPlan> plan;
  int channels = 1;    ///< of what leaves
  Samples length = 0;  ///< frames to the end of its ringing
  Samples lead = 0;    ///< frames that come before the clip's own beginning
  TimeMap foretold{};  ///< the clip's clock as it was known before its sound was made
  std::shared_ptr<const SoundCourse> course;
};

/// Learns all that the clip's steps must know and hears what leaves them. The course is taken from
/// `cache` (a folder; empty: none) where it lies there, and put there. Throws as process_clip().
SceneSound scene_sound(const ClipPlan& plan, FindingStore& store,
                       const std::filesystem::path& cache, const CancelToken& cancel);

/// The clip as it stands in the reel. `sound` is of its chains as they are, or were.
SceneVoice scene_voice(const Reel& reel, const Clip& clip, const SceneSound& sound);

/// The same sound, run through all of its steps beforehand: playing it costs next to nothing. Throws
/// as process_clip().
std::shared_ptr<const PlayPlan> kept_plan(const PlayPlan& plan, FindingStore& store,
                                          const CancelToken& cancel);

/// A plan that plays the sound of `processed`.
PlayPlan play_plan(const ClipPlan& plan, const Processed& processed);

}  // namespace drevan
