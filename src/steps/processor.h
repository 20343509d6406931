// SPDX-License-Identifier: GPL-3.0-or-later
// A step at work on a sound: what it learns, and what it does.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "audio/sound.h"
#include "steps/curve.h"

namespace drevan {

/// What a step measured before it can run; the meaning is the step's own. Empty: nothing found.
struct Findings {
  std::vector<float> values;
  bool empty() const { return values.empty(); }
  friend bool operator==(const Findings&, const Findings&) = default;
};

/// Hears sound as it is at a step's input, then tells what it found.
class Learner {
 public:
  virtual ~Learner() = default;
  virtual void hear(const AudioBlock& block) = 0;
  virtual Findings findings() const = 0;
};

/// A step at work on one stream. All but the destructor is real-time safe: no allocation, no lock,
/// no exception. One thread at a time.
class Processor {
 public:
  virtual ~Processor() = default;
  /// In place; 0 to the format's max_block frames. The result does not depend on block size. The block is as wide
  /// as the wider side: sound comes in its first channels, and leaves in its first StepType::channels_out ones.
  virtual void process(const AudioBlock& block) noexcept = 0;
  /// Comes before process(), for each of StepType::sides that there is: its frames that go with
  /// those of the next block, silence where it has ended. As many channels as it has.
  virtual void hear_side(int /*side*/, const AudioBlock&) noexcept {}
  /// Frames by which the output is late; constant. The engine takes them out again.
  virtual Samples latency() const noexcept { return 0; }
  /// Frames after the last input in which the output may still be above -80 dB of it.
  virtual Samples tail() const noexcept { return 0; }
  /// As new, keeping the settings; the next frame is taken for the first, see place().
  virtual void reset() noexcept = 0;
  /// After reset(), for steps whose findings follow the sound in time: the next frame to come is this one of the
  /// sound that enters the step, counted from its beginning; below 0: before it.
  virtual void place(Samples) noexcept {}
  /// A new value while running, in range; heard smoothly, without a click.
  virtual void set(int parameter, double value) noexcept = 0;
  /// The curve that a parameter which paces something follows, straight in its value; nullptr:
  /// none. For steps that must know how far it has gone at any moment, see integral_to(). Told
  /// before reset(); it lives until another one is told.
  virtual void follow(int /*parameter*/, const Curve*) noexcept {}
  /// A new finding while running; heard smoothly. One that is larger than any before may allocate.
  virtual void set_findings(const Findings&) noexcept {}
  /// Live readings for the picture, as its spec says; returns how many were written.
  virtual int readings(std::span<float>) const noexcept { return 0; }
};

/// A step that makes a sound of another length, or another order in time, of a whole one.
class Rewriter {
 public:
  using Sink = std::function<void(const AudioBlock&)>;
  /// Told how much is done, 0 to 1; may throw, as Cancelled.
  using Tell = std::function<void(double)>;
  virtual ~Rewriter() = default;
  /// How many frames it makes of a sound of `frames`.
  virtual Samples length(Samples frames) const = 0;
  /// Where moments of it are afterwards.
  virtual TimeMap map(Samples frames) const = 0;
  /// Writes exactly length() frames. Throws what `in`, `out` and `tell` throw.
  virtual void rewrite(SoundReader& in, const Sink& out, const Tell& tell) = 0;
};

/// What a rewriter is made for.
struct RewriteContext {
  StreamFormat format;
  std::span<const Track> tracks;
};

/// The most values readings() gives.
inline constexpr int max_readings = 128;

}  // namespace drevan
