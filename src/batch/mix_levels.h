// SPDX-License-Identifier: GPL-3.0-or-later
// How loud the whole reel is, from moment to moment: what the Scene's mix row and its panel show.
#pragma once

#include "batch/mix.h"
#include "measure/sound_course.h"

namespace drevan {

/// A whole sound, measured.
struct WholeLevels {
  std::uint64_t key = 0;  ///< of what was measured: the same again is the same
  Levels levels;          ///< Detail::full
  std::shared_ptr<const SoundCourse> course;
};

/// What the mix of this reel would be known by; see WholeLevels::key.
std::uint64_t mix_key(const Reel& reel);

/// Of the mix behind its chain. `sum` is what enters that, as render_sum() made it. Throws as
/// process_clip().
WholeLevels measure_mix(const Reel& reel, const Source& sum, FindingStore& store,
                        const CancelToken& cancel, const Progress& progress = {});
/// Of a file, at `rate`. Throws Error(input), Cancelled.
WholeLevels measure_whole_file(const std::filesystem::path& file, double rate,
                               const CancelToken& cancel, const Progress& progress = {});

/// Short-term loudness (EBU Tech 3341: the mean of 3 s) around a moment, LUFS, from a course's
/// momentary loudness; SoundCourse::nothing_db where there is none.
double short_term_at(const SoundCourse& course, double s);

}  // namespace drevan
