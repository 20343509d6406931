// SPDX-License-Identifier: GPL-3.0-or-later
// A sound in memory as something to read.
#pragma once

#include "audio/sound.h"
#include "steps/step.h"

namespace drevan::test {

class BufferReader final : public SoundReader {
 public:
  BufferReader(AudioBuffer sound, double rate)
      : sound_(std::move(sound)), shape_{rate, sound_.channels(), sound_.frames()} {}
  const SoundShape& shape() const override { return shape_; }
  void seek(Samples frame) override { at_ = std::clamp<Samples>(frame, 0, shape_.frames); }
  int read(const AudioBlock& block) override {
    const auto n = static_cast<int>(std::min<Samples>(block.frames(), shape_.frames - at_));
    if (n > 0) block.copy_from(sound_.block(at_, n));
    at_ += n;
    return n;
  }

 private:
  AudioBuffer sound_;
  SoundShape shape_;
  Samples at_ = 0;
};

/// What a rewriter makes of a sound.
inline AudioBuffer rewritten(Rewriter& rewriter, const AudioBuffer& in, double rate) {
  BufferReader reader(in, rate);
  AudioBuffer out(in.channels(), rewriter.length(in.frames()));
  Samples at = 0;
  rewriter.rewrite(
      reader,
      [&](const AudioBlock& b) {
        out.block(at, b.frames()).copy_from(b);
        at += b.frames();
      },
      [](double) {});
  return out;
}

}  // namespace drevan::test
