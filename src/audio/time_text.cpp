// SPDX-License-Identifier: GPL-3.0-or-later
#include "audio/time_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace drevan {

std::string clock_text(double seconds) {
  const auto centis = static_cast<long long>(std::llround(std::max(0.0, seconds) * 100));
  const long long s = centis / 100;
  if (s >= 3600)
    return fmt::format("{}:{:02}:{:02}.{:02}", s / 3600, s / 60 % 60, s % 60, centis % 100);
  return fmt::format("{}:{:02}.{:02}", s / 60, s % 60, centis % 100);
}

std::string length_text(double seconds) {
  if (seconds < 60) return fmt::format("{:.1f} s", std::max(0.0, seconds));
  const auto s = static_cast<long long>(std::llround(seconds));
  if (s < 3600) return fmt::format("{} min {:02} s", s / 60, s % 60);
  return fmt::format("{} h {:02} min", s / 3600, s / 60 % 60);
}

std::optional<double> seconds_from_text(std::string_view text) {
  double out = 0;
  int fields = 0;
  for (bool more = true; more; ++fields) {
    const auto colon = text.find(':');
    std::string field(text.substr(0, colon));
    more = colon != std::string_view::npos;
    if (more) text.remove_prefix(colon + 1);
    std::ranges::replace(field, ',', '.');
    const auto first = field.find_first_not_of(' '), last = field.find_last_not_of(' ');
    if (first == std::string::npos) return std::nullopt;
    field = field.substr(first, last - first + 1);
    double value = 0;
    const auto [end, error] =
        std::from_chars(field.data(), field.data() + field.size(), value, std::chars_format::fixed);
    const bool whole = error == std::errc{} && end == field.data() + field.size();
    // Minutes and seconds behind a colon are below 60; what stands before one is whole.
    if (!whole || !(value >= 0) || (fields > 0 && value >= 60) || fields > 2 ||
        (more && value != std::floor(value)))
      return std::nullopt;
    out = 60 * out + value;
  }
  return out;
}

}  // namespace drevan
