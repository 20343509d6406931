// SPDX-License-Identifier: GPL-3.0-or-later
// A device one listens on to judge a sound: never part of a render.
#pragma once

#include <memory>

#include "steps/step.h"

namespace drevan {

/// Stereo packets through one step, in place; as they are where there is none. On a change the old
/// one is faded out within the packet. One thread at a time.
class ListeningDevice {
 public:
  /// What to listen on; nullptr: as it is.
  struct Choice {
    const StepType* type;
    Settings settings;
  };
  ListeningDevice(double rate, int frames) : rate_(rate), block_(2, frames), old_(2, frames) {}

  void choose(const std::shared_ptr<const Choice>& choice);
  /// Forgets the sound.
  void reset();
  /// Interleaved, at most the frames it was made for.
  void process(std::span<float> stereo);

 private:
  double rate_;
  std::shared_ptr<const Choice> choice_;
  std::unique_ptr<Processor> now_, leaving_;
  bool changes_ = false;
  AudioBuffer block_, old_;
};

}  // namespace drevan
