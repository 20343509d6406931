// SPDX-License-Identifier: GPL-3.0-or-later
// One direction of a call: to the codec's rate, through the codec, and back.
#pragma once

#include <array>
#include <memory>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/rate_rows.h"
#include "dsp/speech_codec.h"

namespace drevan {

/// One channel. A packet is lost or not by its number alone, the same each time. After a quarter of
/// a second of silence, to 16 bits, the line is silent, whatever the codec idles with. Real-time
/// safe but for construction.
class TelephoneLine {
 public:
  TelephoneLine(double rate, Codec codec);
  /// Frames; constant, and exact: what leaves stands where it stood.
  Samples latency() const noexcept { return latency_; }
  /// Frames after which nothing of a sound is heard any more.
  Samples tail() const noexcept;
  void reset() noexcept { place(0); }
  /// The next frame is this one: packets and losses go by it.
  void place(Samples frame) noexcept;
  /// How many packets are lost, 0 to 0.5; in bursts of two on the average.
  void set_loss(double share) noexcept { loss_ = share; }
  /// In place.
  void process(std::span<float> x) noexcept;

 private:
  static constexpr size_t low_mask = 8191;
  void hear_low(float x) noexcept;
  bool lost(long packet) const noexcept;

  int rate_;
  std::unique_ptr<SpeechCodec> codec_;
  RateRows down_, up_;
  Samples latency_ = 0, frame_ = 0;
  std::vector<float> in_, low_;  // each twice, so that what is read lies in one piece
  size_t in_mask_ = 0;
  RateRows::Place down_at_, up_at_;
  std::vector<std::int16_t> packet_;
  std::vector<float> gates_;  // of the packet's samples
  size_t filled_ = 0;
  long next_low_ = 0;  // the number of the next sample at the codec's rate
  long silent_ = 0;
  float gate_ = 0, gate_step_ = 1;
  double loss_ = 0;
};

}  // namespace drevan
