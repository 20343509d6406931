// SPDX-License-Identifier: GPL-3.0-or-later
// Times as people read them.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace drevan {

/// "0:05.21", "12:00.00", "1:02:03.40"; seconds below 0 read as 0.
std::string clock_text(double seconds);

/// And back: "5.21", "0:05.21", "1:02:03.4", a comma for a point; nullopt: no time.
std::optional<double> seconds_from_text(std::string_view text);

/// "11.4 s", "2 min 10 s", "1 h 05 min": how long something is or will take.
std::string length_text(double seconds);

}  // namespace drevan
