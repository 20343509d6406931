// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/scene/events.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "reel/times/clip_times.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace {

std::string quoted(const std::string& text) {
  if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::string vtt_time(double s) {
  const auto ms = std::llround(std::max(0.0, s) * 1000);
  return fmt::format("{:02}:{:02}:{:02}.{:03}", ms / 3600000, ms / 60000 % 60, ms / 1000 % 60,
                     ms % 1000);
}

// What would end or begin something there.
std::string vtt_text(std::string text) {
  for (const auto& [from, to] : {std::pair{'&', "&amp;"}, {'<', "&lt;"}, {'>', "&gt;"}})
    for (size_t at = 0; (at = text.find(from, at)) != std::string::npos;
         at += std::string(to).size())
      text.replace(at, 1, to);
  std::ranges::replace(text, '\n', ' ');
  std::ranges::replace(text, '\r', ' ');
  return text;
}

}  // namespace

FilmTime in_film(const Reel& reel, ReelTime at) {
  return {at.s - (reel.films.empty() ? 0 : reel.films.front().place.s)};
}

std::vector<FilmEvent> events_of_film(const Reel& reel) {
  std::vector<FilmEvent> out;
  for (const Event& e : reel.events)
    if (const FilmTime at = in_film(reel, e.at); at >= FilmTime{0}) out.push_back({at, e.name});
  return out;
}

std::string events_as_csv(std::span<const FilmEvent> events,
                          const std::optional<TimecodeRate>& rate, const std::string& first_code) {
  std::string out = "seconds,timecode,name\r\n";
  const auto first = rate ? frame_of(first_code, *rate).value_or(0) : 0;
  for (const auto& e : events)
    out += fmt::format("{:.6f},{},{}\r\n", e.at.s,
                       rate ? timecode(first + frame_at(e.at.s, *rate), *rate) : std::string(),
                       quoted(e.name));
  return out;
}

std::string events_as_webvtt(std::span<const FilmEvent> events) {
  std::string out = "WEBVTT\n";
  for (size_t i = 0; i < events.size(); ++i) {
    const double begin = events[i].at.s;
    const double end = i + 1 < events.size() ? events[i + 1].at.s : begin + 1;
    out += fmt::format("\n{} --> {}\n{}\n", vtt_time(begin), vtt_time(std::max(end, begin + 0.001)),
                       vtt_text(events[i].name));
  }
  return out;
}

std::vector<ListedClip> clips_of_film(const Reel& reel) {
  std::vector<ListedClip> out;
  for (const ClipId id : rendered_clips(reel)) {
    const Clip& c = *reel.find(id);
    const ReelRange sounds = whole_in_reel(times_of(reel, c));
    const FilmTime begin = in_film(reel, sounds.begin), end = in_film(reel, sounds.end);
    if (end > FilmTime{0})
      out.push_back({std::max(begin, FilmTime{0}), end, reel.group_of(c).name, c.name, c.text});
  }
  std::ranges::stable_sort(out, {}, &ListedClip::begin);
  return out;
}

std::string clips_as_csv(std::span<const ListedClip> clips, const std::optional<TimecodeRate>& rate,
                         const std::string& first_code) {
  std::string out = "begin,end,begin_timecode,end_timecode,group,name,text\r\n";
  const auto first = rate ? frame_of(first_code, *rate).value_or(0) : 0;
  const auto code = [&](double s) {
    return rate ? timecode(first + frame_at(s, *rate), *rate) : std::string();
  };
  for (const auto& c : clips)
    out += fmt::format("{:.6f},{:.6f},{},{},{},{},{}\r\n", c.begin.s, c.end.s, code(c.begin.s),
                       code(c.end.s), quoted(c.group), quoted(c.name), quoted(c.text));
  return out;
}

std::string clips_as_webvtt(std::span<const ListedClip> clips) {
  std::string out = "WEBVTT\n";
  for (const auto& c : clips)
    out += fmt::format("\n{} --> {}\n<v {}>{}\n", vtt_time(c.begin.s),
                       vtt_time(std::max(c.end.s, c.begin.s + 0.001)), vtt_text(c.group),
                       vtt_text(c.text.empty() ? c.name : c.text));
  return out;
}

}  // namespace drevan
