// SPDX-License-Identifier: GPL-3.0-or-later
#include "fuzzing.h"
#include "reel/reel.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  fuzz::must_only_throw_error([&] {
    const Reel reel = reel_from_text(fuzz::text(data, size), "/nowhere", "fuzz.reel");
    // All of it can be walked through, and it reads back as it was written.
    for (const auto& clip : reel.clips) {
      running_steps(reel, clip);
      sits_out_of(reel, clip);
    }
    unused_versions(reel);
    const Reel again = reel_from_text(reel_to_text(reel, "/nowhere"), "/nowhere", "again.reel");
    fuzz::require(again.clips.size() == reel.clips.size() && again.groups == reel.groups &&
                  again.chain == reel.chain);
    Reel less = reel;
    if (!less.clips.empty()) {
      const ClipId ids[] = {less.clips.front().id};
      remove_clips(less, ids);
      for (const auto& clip : less.clips) running_steps(less, clip);
    }
  });
  return 0;
}
