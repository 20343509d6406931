// SPDX-License-Identifier: GPL-3.0-or-later
// Finding a stretch where only the room is heard.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "audio/buffer.h"
#include "dsp/biquad.h"

namespace drevan {

/// What is wrong with a range as a room tone. The last three are heard in it.
enum class RoomToneFlaw { none, too_short, outside_clip, digital_silence, click, speech };

/// The shortest range a spectrum is learned from, seconds (common practice, no source).
inline constexpr double least_room_tone_s = 0.5;

/// Checks a marked range of seconds against a clip of `clip_s` seconds, before any audio is read.
RoomToneFlaw check_room_tone(double begin_s, double end_s, double clip_s);

/// What tells rooms from words: frames of 10 ms between 200 Hz and 5 kHz, where a room stands still
/// and speech and breath do not; and of that below 800 Hz, where voices are, and from 2.5 to 9 kHz,
/// where the ends of words are.
class RoomEar {
 public:
  struct Frame {
    float power, power_mid, peak_mid, power_low, power_high;  ///< mean powers; `power` of all
  };
  explicit RoomEar(StreamFormat format);
  void hear(const AudioBlock& block);
  /// Those that are full.
  const std::vector<Frame>& frames() const { return frames_; }
  /// How many samples of the stream one of them has.
  int frame_length() const { return frame_; }

 private:
  int frame_;
  int channels_;
  std::array<Biquad, 2> mid_;
  Biquad low_;
  std::array<Biquad, 2> high_;
  double sum_ = 0, sum_mid_ = 0, sum_low_ = 0, sum_high_ = 0;
  float peak_mid_ = 0;
  int filled_ = 0;
  std::vector<Frame> frames_;
};

/// Listens to a clip once and tells rooms from words: over 50 ms a room's level stays within 5 dB
/// of its median, and no sample in it reaches eight times its own level, as a click does.
class RoomToneFinder {
 public:
  explicit RoomToneFinder(StreamFormat format) : ear_(format) {}
  void hear(const AudioBlock& block) { ear_.hear(block); }

  /// The quietest stretch of at least half a second without a flaw, grown both ways as long as it stays
  /// alike, up to 3 s; frames of the clip. Empty when there is none.
  std::optional<FrameRange> find() const;

  /// What is heard in a range of frames; `speech` also where it is far louder (15 dB) than the quietest
  /// half second of the clip.
  RoomToneFlaw judge(FrameRange range) const;

 private:
  using Frame = RoomEar::Frame;
  RoomToneFlaw flaw(std::span<const Frame> part) const;
  double mid_power(size_t begin, size_t end) const;

  RoomEar ear_;
};

/// "holds speech or a breath": the end of a sentence about a range.
std::string_view flaw_text(RoomToneFlaw flaw);

}  // namespace drevan
