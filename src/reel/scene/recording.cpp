// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/recording.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <utility>

#include "audio/replace_file.h"
#include "audio/utf8.h"
#include "reel/edits/draft.h"
#include "reel/files/json_file.h"
#include "reel/files/scene_json.h"
#include "reel/edits/takes.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;
using nlohmann::ordered_json;

namespace {

constexpr std::string_view note_ending = ".recording";
constexpr std::string_view take_words = ", take ";
// A pass that was broken off is not chosen.
constexpr double about_as_long = 0.9;

bool is_there(const fs::path& file) {
  std::error_code error;
  return fs::exists(fs::symlink_status(file, error));
}

fs::path note_of(const fs::path& audio) {
  fs::path note = audio;
  note += note_ending;
  return note;
}

ordered_json where_to_json(const RecordedWhere& where) {
  ordered_json out{{"place_s", where.place.s},
                   {"plays", where.plays},
                   {"rate_hz", where.rate},
                   {"latency", where.latency},
                   {"lag", where.lag}};
  if (where.to) out["to_s"] = where.to->s;
  return out;
}

RecordedWhere where_from_json(const json& j) {
  const auto moment = [&](const char* key) {
    return ReelTime{std::clamp(member(j, key, 0.0, ""), 0.0, latest_place_s)};
  };
  RecordedWhere out{moment("place_s"), member(j, "plays", false, "")};
  if (j.contains("to_s")) out.to = moment("to_s");
  out.rate = std::clamp(member(j, "rate_hz", 48000.0, ""), 8000.0, 384000.0);
  const auto frames = [&](const char* key) {
    return std::clamp<Samples>(member<std::int64_t>(j, key, 0, ""), 0, Samples{1} << 40);
  };
  out.latency = frames("latency");
  out.lag = frames("lag");
  return out;
}

// What a note tells, an object a line: whose it is, then where what is recorded stands. Where it
// cannot be read, what the name of the file tells.
BrokenRecording read_note(const fs::path& note) {
  BrokenRecording out;
  out.note = note;
  out.audio = note.parent_path() / note.stem();
  out.line = {.name = out.audio.stem().string(), .group = "Recordings"};
  try {
    const std::string text = read_text(note);
    // One of before is a single object over many lines.
    const bool by_lines = text.starts_with("{\"");
    const auto end = by_lines ? std::min(text.find('\n'), text.size()) : text.size();
    const auto j = parse_json(std::string_view(text).substr(0, end), note.string());
    out.reel_file = member<std::string>(j, "reel", "", "");
    out.line.name = member<std::string>(j, "name", out.line.name, "");
    out.line.group = member<std::string>(j, "group", out.line.group, "");
    out.line.text = member<std::string>(j, "text", "", "");
    out.line.take_of = id_member<ClipId>(j, "take_of", "");
    out.where = where_from_json(j);
    for (size_t at = end + 1; at < text.size();) {
      const auto next = text.find('\n', at);
      if (next == std::string::npos) break;  // it was being written
      const auto mark = parse_json(std::string_view(text).substr(at, next - at), note.string());
      out.marks.push_back({member<std::int64_t>(mark, "at", 0, ""),
                           member<std::int64_t>(mark, "position", 0, ""),
                           member(mark, "playing", false, "")});
      at = next + 1;
    }
  } catch (const Error&) {
    // It was being written.
  }
  return out;
}

}  // namespace

std::string line_name(const std::string& clip_name) {
  const auto at = clip_name.rfind(take_words);
  if (at == std::string::npos || at == 0) return clip_name;
  const auto number = clip_name.substr(at + take_words.size());
  const bool counts =
      !number.empty() && std::ranges::all_of(number, [](char c) { return c >= '0' && c <= '9'; });
  return counts ? clip_name.substr(0, at) : clip_name;
}

fs::path recordings_folder(const Reel& reel, const fs::path& reel_file, const fs::path& unsaved) {
  if (!reel.recording.folder.empty()) return reel.recording.folder;
  if (reel_file.empty()) return unsaved;
  return fs::absolute(reel_file.parent_path() / (reel_file.stem().string() + ".recordings"))
      .lexically_normal();
}

fs::path recording_file(const fs::path& folder, const std::string& name) {
  const auto stem = file_name_of(name, "recording", 100);
  for (int n = 1;; ++n) {
    const fs::path file = folder / (n == 1 ? stem + ".wav" : fmt::format("{} {}.wav", stem, n));
    if (!is_there(file) && !is_there(note_of(file))) return file;
  }
}

RecordingNote::RecordingNote(const fs::path& audio, const fs::path& reel_file,
                             const RecordedLine& line, const RecordedWhere& where)
    : file_(note_of(audio)) {
  descriptor_ = ::open(file_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  if (descriptor_ < 0) throw cannot_write(file_, errno);
  // A file system without locks is no reason not to record.
  static_cast<void>(::flock(descriptor_, LOCK_EX | LOCK_NB));
  ordered_json out{{"reel", to_utf8(reel_file.string())},
                   {"name", line.name},
                   {"group", line.group},
                   {"text", line.text},
                   {"take_of", line.take_of}};
  out.update(where_to_json(where));
  if (const int error = write_all(descriptor_, dump_json(out, -1)); error != 0) {
    remove();
    throw cannot_write(file_, error);
  }
}

RecordingNote::RecordingNote(RecordingNote&& other) noexcept
    : file_(std::move(other.file_)), descriptor_(std::exchange(other.descriptor_, -1)) {}

RecordingNote::~RecordingNote() {
  if (descriptor_ >= 0) ::close(descriptor_);
}

void RecordingNote::keep(const PlayedMark& mark) {
  if (descriptor_ < 0) return;
  const ordered_json out{{"at", mark.at}, {"position", mark.position}, {"playing", mark.playing}};
  if (write_all(descriptor_, dump_json(out, -1)) == 0) ::fdatasync(descriptor_);
}

void RecordingNote::remove() {
  std::error_code ignored;
  if (descriptor_ < 0) return;
  fs::remove(file_, ignored);
  ::close(std::exchange(descriptor_, -1));
}

std::vector<BrokenRecording> broken_recordings(const fs::path& folder, const fs::path& reel_file) {
  std::vector<BrokenRecording> out;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder, error)) {
    if (entry.path().extension() != note_ending) continue;
    const int fd = ::open(entry.path().c_str(), O_RDWR | O_CLOEXEC);
    if (fd < 0) continue;
    const bool at_work = ::flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK;
    ::close(fd);
    if (at_work) continue;
    auto broken = read_note(entry.path());
    // A note that was torn is of whoever looks first.
    if (!broken.reel_file.empty() && broken.reel_file != to_utf8(reel_file.string())) continue;
    if (is_there(broken.audio)) {
      out.push_back(std::move(broken));
    } else {
      fs::remove(entry.path(), error);
    }
  }
  std::ranges::sort(out, {}, &BrokenRecording::audio);
  return out;
}

namespace edits {

namespace {

int next_line(const Reel& reel) {
  int line = 0;
  for (const auto& c : reel.clips) line = std::max(line, c.line);
  return line + 1;
}

// How many takes of a line of this name there are: the highest number in their names.
int takes_named(const Reel& reel, const std::string& line) {
  int most = 0;
  for (const auto& c : reel.clips) {
    if (c.name == line) most = std::max(most, 1);
    if (line_name(c.name) != line || c.name == line) continue;
    const auto number = c.name.substr(line.size() + take_words.size());
    most = std::max(most, number.size() < 7 ? std::stoi(number) : 0);
  }
  return most;
}

}  // namespace

Edit add_recording(const Reel& reel, const RecordedLine& line,
                   std::span<const RecordedPart> parts) {
  if (parts.empty()) throw impossible("Nothing was recorded that could become a clip.");
  Edit edit{reel, {}};
  const Clip* of = reel.find(line.take_of);
  if (of && is_bus(*of)) of = nullptr;
  const std::string name = proper_name(of ? line_name(of->name) : line.name, "A line");
  const std::string group = of ? reel.group_of(*of).name : proper_name(line.group, "A group");
  const int number = of && of->line != 0 ? of->line : next_line(reel);
  if (of) clip_in(edit.next, of->id).line = number;
  Samples longest = 0;
  for (const auto& p : parts) longest = std::max(longest, p.frames);
  ClipId chosen = 0;
  int take = takes_named(reel, name);
  for (const auto& part : parts) {
    const ClipId id = add_clip(edit.next, part.source, group);
    Clip& clip = clip_in(edit.next, id);
    clip.name = fmt::format("{}{}{}", name, take_words, ++take);
    clip.begin = part.begin;
    clip.frames = part.frames;
    clip.place = clamp(part.place, ReelTime{0}, latest_place);
    clip.line = number;
    clip.text = line.text;
    if (of) {
      clip.group = of->group;
      clip.chain = for_everyone(of->chain);
      for (auto& step : clip.chain.steps) step.id = 0;
      clip.sends = of->sends;
      clip.direct = of->direct;
      if (clip.text.empty()) clip.text = of->text;
    }
    if (static_cast<double>(part.frames) >= about_as_long * static_cast<double>(longest))
      chosen = id;
  }
  edit.next.clips.change_where([&](const Clip& c) { return c.line == number; },
                               [&](Clip& c) { c.chosen = c.id == chosen; });
  settle_step_ids(edit.next);
  edit.label = fmt::format("Record {}", parts.size() == 1 ? edit.next.find(chosen)->name
                                                          : counted(parts.size(), "take"));
  return edit;
}

Edit set_line_text(const Reel& reel, ClipId clip, const std::string& text) {
  require_clip(clip, "has no text");
  Draft d(reel, clip);
  d.clip.text = text;
  d.edit.merge = fmt::format("text of {}", clip);
  return d.done(fmt::format("Text of {}", d.clip.name));
}

Edit set_recording_format(const Reel& reel, const RecordingFormat& format) {
  Edit edit{reel, "How the reel is recorded"};
  edit.next.recording = format;
  return edit;
}

}  // namespace edits
}  // namespace drevan
