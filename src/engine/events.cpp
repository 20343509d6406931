#include "engine/events.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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

std::vector<Event> events_of_film(const Reel& reel) {
  const double begins_s = reel.films.empty() ? 0 : reel.films.front().place_s;
  std::vector<Event> out;
  for (const Event& e : reel.events)
    if (e.s >= begins_s) out.push_back({e.s - begins_s, e.name});
  return out;
}

std::string events_as_csv(std::span<const Event> events, const std::optional<TimecodeRate>& rate,
                          const std::string& first_code) {
  std::string out = "seconds,timecode,name\r\n";
  const auto first = rate ? frame_of(first_code, *rate).value_or(0) : 0;
  for (const auto& e : events)
    out += fmt::format("{:.6f},{},{}\r\n", e.s,
                       rate ? timecode(first + frame_at(e.s, *rate), *rate) : std::string(),
                       quoted(e.name));
  return out;
}

std::string events_as_webvtt(std::span<const Event> events) {
  std::string out = "WEBVTT\n";
  for (size_t i = 0; i < events.size(); ++i) {
    const double end = i + 1 < events.size() ? events[i + 1].s : events[i].s + 1;
    out += fmt::format("\n{} --> {}\n{}\n", vtt_time(events[i].s),
                       vtt_time(std::max(end, events[i].s + 0.001)), vtt_text(events[i].name));
  }
  return out;
}

}  // namespace drevan
