// Named marks of a film, and the files they are handed over in.
#pragma once

#include <span>
#include <string>

#include "audio/timecode.h"
#include "reel/reel.h"

namespace drevan {

/// A reel's events in the time of its first film: from that one's first picture on. Without a film:
/// as they are.
std::vector<Event> events_of_film(const Reel& reel);

/// "seconds,timecode,name", a line each, after RFC 4180. Timecodes are counted from `first_code`;
/// empty where there is no rate.
std::string events_as_csv(std::span<const Event> events, const std::optional<TimecodeRate>& rate,
                          const std::string& first_code);
/// WebVTT (W3C): each lasts until the next one, the last one a second.
std::string events_as_webvtt(std::span<const Event> events);

}  // namespace drevan
