// SPDX-License-Identifier: GPL-3.0-or-later
// Small reels for tests, and files that must be refused.
#pragma once

#include <gtest/gtest.h>

#include "audio/error.h"
#include "reel/reel.h"
#include "support/sounds.h"

namespace drevan::test {

struct MadeClip {
  std::string name, group;
  int channels = 1;
};

/// A reel of clips of noise, each of a file of its own in `folder`.
inline Reel reel_of(const TempFolder& folder, std::initializer_list<MadeClip> clips,
                    double seconds) {
  Reel reel;
  unsigned seed = 20;
  for (const auto& clip : clips) {
    AudioBuffer x = noise(0.05, seconds, seed++, 48000, clip.channels);
    write_wav(folder / (clip.name + ".wav"), x);
    add_clip(reel, examine_source(folder / (clip.name + ".wav")), clip.group);
  }
  return reel;
}

/// A reel's text in which any one of `changes` is made is refused.
template <class Changes>
void expect_refused(const std::string& text, const std::filesystem::path& folder,
                    const Changes& changes) {
  for (const auto& [from, to] : changes) {
    auto bad = text;
    const auto at = bad.find(from);
    ASSERT_NE(at, std::string::npos) << from;
    bad.replace(at, from.size(), to);
    EXPECT_THROW(reel_from_text(bad, folder, "x.reel"), Error) << to;
  }
}

}  // namespace drevan::test
