// Finding a stretch where only the room is heard.
#pragma once

#include <optional>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Why a range cannot be a room tone.
enum class RoomToneFlaw { none, too_short, outside_clip };

/// The shortest range a spectrum is learned from, seconds (common practice, no source).
inline constexpr double least_room_tone_s = 0.5;

/// Checks a marked range of seconds against a clip of `clip_s` seconds, before any audio is read.
RoomToneFlaw check_room_tone(double begin_s, double end_s, double clip_s);

/// Listens to a clip once and picks the quietest stretch of at least half a second that holds no
/// speech: levels over 10 ms frames, the stretch whose loudest frame stays within 10 dB of its own
/// mean (a word or a click does not) and whose mean is lowest; it is then grown both ways while
/// frames stay within 6 dB of its mean, up to 3 s. Digital silence is never taken.
class RoomToneFinder {
 public:
  explicit RoomToneFinder(StreamFormat format);
  void hear(const AudioBlock& block);

  /// Frames of the clip, empty when there is none.
  std::optional<FrameRange> find() const;

 private:
  int frame_;
  int channels_;
  double sum_ = 0;
  int filled_ = 0;
  std::vector<float> power_;  // per 10 ms
};

}  // namespace drevan
