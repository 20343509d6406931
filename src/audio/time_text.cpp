#include "audio/time_text.h"

#include <fmt/format.h>

#include <algorithm>
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

}  // namespace drevan
