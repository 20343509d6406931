// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/sides.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/error.h"

namespace drevan {

const Clip* side_clip(const Reel& reel, const SideChoice& choice) {
  if (choice.clip) return reel.find(choice.clip);
  const auto at = std::ranges::find(reel.clips, choice.name, &Clip::name);
  return at == reel.clips.end() ? nullptr : &*at;
}

namespace {

// `listening`: the clip that is looked at, and those that hear it.
void follow(const Reel& reel, const Clip& clip, const Chain& chain,
            std::vector<ClipId>& listening) {
  for (const auto& step : chain.steps)
    for (const auto& choice : step.sides) {
      if (choice.from != SideChoice::From::clip) continue;
      const Clip* other = side_clip(reel, choice);
      if (!other) continue;
      if (other->id == clip.id)
        throw Error(Error::Kind::call,
                    fmt::format("{}: {} cannot hear the clip itself beside it; choose another.",
                                clip.name, step.type->label));
      if (std::ranges::find(listening, other->id) != listening.end())
        throw Error(Error::Kind::call,
                    fmt::format("{}: {} hears {}, which hears this clip in turn; choose another.",
                                clip.name, step.type->label, other->name));
      listening.push_back(other->id);
      follow(reel, *other, other->chain, listening);
      listening.pop_back();
    }
}

}  // namespace

void require_no_rings(const Reel& reel) {
  for (const auto& clip : reel.clips) {
    std::vector<ClipId> listening{clip.id};
    for (const auto owner : owners_of(clip))
      follow(reel, clip, chain_of(reel, clip, owner), listening);
  }
}

}  // namespace drevan
