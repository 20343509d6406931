// SPDX-License-Identifier: GPL-3.0-or-later
// What a player plays: one clip before and after its chain, or the whole reel.
#pragma once

#include <memory>
#include <span>

#include "audio/buffer.h"
#include "reel/chain.h"
#include "steps/step.h"

namespace drevan {

struct PlayPlan;

/// Sound in blocks from any place on, before and after. Not for the device's thread (reads files);
/// one thread at a time. Time is that of what leaves.
class Programme {
 public:
  /// Frames of a block.
  static constexpr int block = 256;

  virtual ~Programme() = default;
  /// The next next() gives frame `position`, as it sounds in a render that has come there. Throws
  /// Error(input).
  virtual void seek(Samples position) = 0;
  /// `block` frames of each, channels() wide; silence beyond the end. `focus`: the step whose input
  /// and output are wanted in focus_in() and focus_out() (mono); -1: none.
  virtual void next(AudioBlock before, AudioBlock after, int focus) = 0;
  /// Takes on new settings while running where it can; false: another programme must be made.
  virtual bool update(std::shared_ptr<const PlayPlan> plan) = 0;
  /// Where the chain changes the clock only one of the two can lead: before then plays on as it
  /// was, and time follows it.
  virtual void let_before_lead(bool) {}

  /// Of what leaves; before is given as many.
  virtual int channels() const = 0;
  /// Whether before less after is a sound: they have one clock and as many channels.
  virtual bool comparable() const = 0;
  virtual Samples position() const = 0;
  /// Frames to the end of the last ringing.
  virtual Samples end() const = 0;
  virtual bool ended() const { return position() >= end(); }
  /// Whether time runs backwards at the moment.
  virtual bool backwards() const { return false; }
  /// What took the most time of late: a clip's or a bus's id; 0: not known.
  struct Dearest {
    ClipId clip = 0;  ///< by id
    StepId step = 0;  ///< of its steps; 0: it has none that run
  };
  virtual Dearest dearest() const { return {}; }
  /// nullptr: it does not run live.
  virtual const Processor* processor(int) const { return nullptr; }
  virtual std::span<const float> focus_in() const { return {}; }
  virtual std::span<const float> focus_out() const { return {}; }
};

/// Of what the plan says. Throws Error(input).
std::unique_ptr<Programme> make_programme(std::shared_ptr<const PlayPlan> plan);

}  // namespace drevan
