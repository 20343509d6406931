// SPDX-License-Identifier: GPL-3.0-or-later
// Where a chain does harm or nothing, and how to mend it. All rules live here.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/listening/level_path.h"
#include "reel/reel.h"

namespace drevan {

/// One piece of advice: a reason in a sentence, and what would mend it.
struct Advice {
  std::string rule;    ///< "limiter-not-last": for remembering what was dismissed
  std::string reason;  ///< a whole sentence
  std::string action;  ///< what the mend does, a few words: "Move it before the compressor"
  Chain mended;        ///< the chain as it would be
  std::optional<ClipRange> room_tone{};  ///< this would be the room tone instead
  std::optional<double> at_s{};          ///< where in the clip it happens
};

/// Advice for `chain` (steps that are off are passed over), the gravest first. With `levels`, as
/// measured for this very chain, also what depends on the clip; `rate` is theirs. With `tone` also what
/// is heard in the room tone; with `mix_ceiling_db`, for the chain of a mix that is delivered with
/// peaks up to that.
std::vector<Advice> advise(const Chain& chain, const LevelPath* levels = nullptr,
                           double rate = 48000, const RoomToneJudgement* tone = nullptr,
                           std::optional<double> mix_ceiling_db = std::nullopt);

/// The same for a clip of a reel, whose group's and reel's steps come later and may set its level; for
/// a space or the mix (see is_bus()) what is said of voices alone is left out. `delivered_peak_db`: of
/// what is delivered, which the mix is.
std::vector<Advice> advise_clip(const Reel& reel, const Clip& clip, const LevelPath* levels,
                                const RoomToneJudgement* tone,
                                std::optional<double> delivered_peak_db);

}  // namespace drevan
