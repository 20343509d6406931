// SPDX-License-Identifier: GPL-3.0-or-later
// Timecode: moments of a film by hours, minutes, seconds and frames.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace drevan {

/// How frames are counted (SMPTE ST 12-1). Dropping leaves numbers out, never frames: the first two
/// of each minute but every tenth (four at twice the rate), so that 29.97 frames a second keep in
/// step with the clock.
struct TimecodeRate {
  int frames_per_s = 25;  ///< as they are numbered: 24, 25, 30, 50, 60
  bool reduced = false;   ///< 1000/1001 of that are shown in a second: 23.976, 29.97, 59.94
  bool drops = false;     ///< only where it is reduced, and 30 or 60

  double exact() const { return reduced ? frames_per_s * 1000.0 / 1001 : frames_per_s; }
  friend bool operator==(const TimecodeRate&, const TimecodeRate&) = default;
};

/// The rate that a film's mean of frames a second means; it drops where the film's own timecode
/// ("10:00:00;00", with a semicolon) does. Nullopt: none of the usual ones.
std::optional<TimecodeRate> timecode_rate(double frames_per_s, std::string_view film_code = {});

/// "01:00:00:00", with a semicolon before the frames where it drops. Counts on beyond 24 hours from
/// 0.
std::string timecode(std::int64_t frame, const TimecodeRate& rate);
/// And back; nullopt: no timecode, or one whose number is left out.
std::optional<std::int64_t> frame_of(std::string_view timecode, const TimecodeRate& rate);

/// The frame that is shown `s` after the first one.
std::int64_t frame_at(double s, const TimecodeRate& rate);

}  // namespace drevan
