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

/// A clip as a list tells it.
struct ListedClip {
  double begin_s = 0, end_s = 0;  ///< as events_of_film() counts
  std::string group, name, text;  ///< `text`: what is said in it
  friend bool operator==(const ListedClip&, const ListedClip&) = default;
};
/// The clips that are heard, by their beginning; to where they end, stretched as they are, without
/// what rings on. What begins before the film is left out.
std::vector<ListedClip> clips_of_film(const Reel& reel);
/// "begin,end,begin_timecode,end_timecode,group,name,text", as events_as_csv().
std::string clips_as_csv(std::span<const ListedClip> clips, const std::optional<TimecodeRate>& rate,
                         const std::string& first_code);
/// WebVTT: what is said, spoken by the group, else the clip's name.
std::string clips_as_webvtt(std::span<const ListedClip> clips);

}  // namespace drevan
