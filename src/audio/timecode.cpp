// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/timecode.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdio>

namespace drevan {

namespace {

// Numbers left out in a minute.
std::int64_t left_out(const TimecodeRate& r) { return r.drops ? r.frames_per_s / 15 : 0; }

}  // namespace

std::optional<TimecodeRate> timecode_rate(double frames_per_s, std::string_view film_code) {
  for (const int n : {24, 25, 30, 48, 50, 60, 100, 120}) {
    TimecodeRate r{.frames_per_s = n};
    // Means are told from files, with a few digits.
    if (std::abs(frames_per_s - r.exact()) < 2e-4 * n) return r;
    r.reduced = true;
    r.drops = n % 30 == 0 && film_code.find(';') != std::string_view::npos;
    if (std::abs(frames_per_s - r.exact()) < 2e-4 * n) return r;
  }
  return std::nullopt;
}

std::string timecode(std::int64_t frame, const TimecodeRate& rate) {
  const std::int64_t f = rate.frames_per_s, out = left_out(rate);
  const std::int64_t ten_minutes = 600 * f - 9 * out, minute = 60 * f - out;
  const std::int64_t day = 144 * ten_minutes;
  frame = ((frame % day) + day) % day;
  // Numbers that were left out before it are added.
  const std::int64_t tens = frame / ten_minutes, rest = frame % ten_minutes;
  std::int64_t number = frame + 9 * out * tens;
  if (rest >= 60 * f) number += out * (1 + (rest - 60 * f) / minute);
  return fmt::format("{:02}:{:02}:{:02}{}{:02}", number / (3600 * f), number / (60 * f) % 60,
                     number / f % 60, rate.drops ? ';' : ':', number % f);
}

std::optional<std::int64_t> frame_of(std::string_view text, const TimecodeRate& rate) {
  int h = 0, m = 0, s = 0, f = 0;
  char mark = 0, more = 0;
  const std::string whole(text);
  if (std::sscanf(whole.c_str(), "%2d:%2d:%2d%c%3d%c", &h, &m, &s, &mark, &f, &more) != 5 ||
      (mark != ':' && mark != ';' && mark != '.'))
    return std::nullopt;
  if (h < 0 || h > 23 || m < 0 || m > 59 || s < 0 || s > 59 || f < 0 || f >= rate.frames_per_s)
    return std::nullopt;
  const std::int64_t out = left_out(rate);
  if (s == 0 && f < out && m % 10 != 0) return std::nullopt;
  const std::int64_t minutes = 60 * h + m;
  return (minutes * 60 + s) * rate.frames_per_s + f - out * (minutes - minutes / 10);
}

std::int64_t frame_at(double s, const TimecodeRate& rate) {
  return static_cast<std::int64_t>(std::floor(s * rate.exact() + 1e-4));
}

}  // namespace drevan
