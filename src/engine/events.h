// Named marks of a film, and the files they are handed over in.
#pragma once

#include <span>
#include <string>

#include "audio/timecode.h"
#include "reel/scene.h"

namespace drevan {

/// "seconds,timecode,name", a line each, after RFC 4180. Timecodes are counted from `first_code`;
/// empty where there is no rate.
std::string events_as_csv(std::span<const Event> events, const std::optional<TimecodeRate>& rate,
                          const std::string& first_code);
/// WebVTT (W3C): each lasts until the next one, the last one a second.
std::string events_as_webvtt(std::span<const Event> events);

}  // namespace drevan
