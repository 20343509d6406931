// SPDX-License-Identifier: GPL-3.0-or-later
// Many clips at their places, summed: the reel as a whole, and its parts.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <vector>

#include "audio/sound.h"
#include "engine/planning/feeds.h"
#include "reel/reel.h"

namespace drevan {

/// A sound at its place in the reel.
struct PlacedSound {
  Samples begin =
      0;  ///< frame of the reel; below 0: what comes before the reel's beginning is not heard
  SoundShape shape{};  ///< at the reel's rate
  GroupId group = 0;
  std::function<std::unique_ptr<SoundReader>()> open{};  ///< may throw Error(input)
  std::filesystem::path file{};                          ///< that is read, where it is one
  GroupKind kind = GroupKind::dialogue;                  ///< its group's
  bool direct = true;                                    ///< whether it is heard in the mix itself
  /// Into spaces; here their gains alone count, the rest is in the sound already.
  std::vector<Feed> feeds{};
  SpaceId space = 0;  ///< it is what leaves this space, by id, and of no group; 0: a clip
  float gain = 1;     ///< a factor, where it is heard
};

/// What of the sounds a sum takes.
struct Part {
  enum class Of {
    everything,  ///< all that is heard in the mix
    group,       ///< of that, the clips of a group
    kind,        ///< of that, the clips of the groups of one kind
    space,       ///< of that, what leaves a space
    feed,        ///< what enters a space
  } of = Of::everything;
  GroupId group = 0;                     ///< where it is of one
  GroupKind kind = GroupKind::dialogue;  ///< where it is of one
  SpaceId space = 0;                     ///< where it is of one
  /// By what factor it takes a sound; 0: not at all.
  float share_of(const PlacedSound& sound) const;
  friend bool operator==(const Part&, const Part&) = default;
};

/// By how much a mono sound is lower in each channel where it stands in the middle of several.
float middle_gain();

/// Sums sounds in blocks, from any place on. Not for the device's thread (reads files); one thread
/// at a time. A sound is opened when its place is reached and closed when it has ended. As wide as
/// its widest sound, at least mono, and stereo when any is stereo: a mono sound then stands in the
/// middle, 3 dB lower in each channel, so that its loudness stays.
class MixRun {
 public:
  static constexpr int block = 4096;

  explicit MixRun(std::vector<PlacedSound> sounds);

  int channels() const { return channels_; }
  /// Frames to the end of the last sound.
  Samples end() const { return end_; }
  Samples position() const { return position_; }
  void seek(Samples position);
  /// The next frames, at most `block`: into `sums[i]` the sum of what `parts[i]` takes. Blocks are
  /// channels() wide and of one length. Throws Error(input).
  void next(std::span<const AudioBlock> sums, std::span<const Part> parts);

 private:
  struct Sounding {
    const PlacedSound* sound;
    std::unique_ptr<SoundReader> reader;
  };
  void add(Sounding& from, std::span<const AudioBlock> sums, std::span<const Part> parts);

  std::vector<PlacedSound> sounds_;  // by where they begin
  std::vector<Sounding> sounding_;
  size_t next_ = 0;
  int channels_ = 1;
  Samples position_ = 0, end_ = 0;
  AudioBuffer scratch_;
};

}  // namespace drevan
