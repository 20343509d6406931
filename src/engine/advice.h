// Where a chain does harm or nothing, and how to mend it. All rules live here.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/level_path.h"
#include "reel/chain.h"

namespace drevan {

/// One piece of advice: a reason in a sentence, and the chain as it would be mended.
struct Advice {
  std::string rule;    ///< "limiter-not-last": for remembering what was dismissed
  std::string reason;  ///< a whole sentence
  std::string action;  ///< what the mend does, a few words: "Move it before the compressor"
  Chain mended;
};

/// Advice for `chain` (steps that are off are passed over), the gravest first. With `levels`, as
/// measured for this very chain, also what depends on the clip.
std::vector<Advice> advise(const Chain& chain, const LevelPath* levels = nullptr);

}  // namespace drevan
