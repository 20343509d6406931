// SPDX-License-Identifier: GPL-3.0-or-later
// Named marks of a film, and the files they are handed over in.
#pragma once

#include <span>
#include <string>

#include "audio/timecode.h"
#include "reel/reel.h"

namespace drevan {

/// A named mark, by the clock of a film.
struct FilmEvent {
  FilmTime at{};
  std::string name;
  friend bool operator==(const FilmEvent&, const FilmEvent&) = default;
};
/// A moment of the reel by its first film's clock; without a film both are the same.
FilmTime in_film(const Reel& reel, ReelTime at);
/// A reel's events from its first film's first picture on.
std::vector<FilmEvent> events_of_film(const Reel& reel);

/// "seconds,timecode,name", a line each, after RFC 4180. Timecodes are counted from `first_code`;
/// empty where there is no rate.
std::string events_as_csv(std::span<const FilmEvent> events,
                          const std::optional<TimecodeRate>& rate, const std::string& first_code);
/// WebVTT (W3C): each lasts until the next one, the last one a second.
std::string events_as_webvtt(std::span<const FilmEvent> events);

/// A clip as a list tells it.
struct ListedClip {
  FilmTime begin{}, end{};
  std::string group, name, text;  ///< `text`: what is said in it
  friend bool operator==(const ListedClip&, const ListedClip&) = default;
};
/// The clips that are heard, by their beginning; to where they end, stretched as they are, without
/// what rings on. Of what begins before the film, what is heard in it: from its first picture on.
std::vector<ListedClip> clips_of_film(const Reel& reel);
/// "begin,end,begin_timecode,end_timecode,group,name,text", as events_as_csv().
std::string clips_as_csv(std::span<const ListedClip> clips, const std::optional<TimecodeRate>& rate,
                         const std::string& first_code);
/// WebVTT: what is said, spoken by the group, else the clip's name.
std::string clips_as_webvtt(std::span<const ListedClip> clips);

}  // namespace drevan
