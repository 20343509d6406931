// Times as people read them.
#pragma once

#include <string>

namespace drevan {

/// "0:05.21", "12:00.00", "1:02:03.40"; seconds below 0 read as 0.
std::string clock_text(double seconds);

/// "11.4 s", "2 min 10 s", "1 h 05 min": how long something is or will take.
std::string length_text(double seconds);

}  // namespace drevan
