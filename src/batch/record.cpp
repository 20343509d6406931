// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/record.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "audio/replace_file.h"
#include "engine/rendering/process.h"
#include "reel/files/json_file.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr std::pair<const char*, std::optional<double> Levels::*> level_fields[] = {
    {"sample_peak_dbfs", &Levels::sample_peak_dbfs},
    {"true_peak_dbtp", &Levels::true_peak_dbtp},
    {"loudness_lufs", &Levels::loudness_lufs},
    {"short_term_max_lufs", &Levels::short_term_max_lufs},
    {"loudness_range_lu", &Levels::loudness_range_lu},
    {"noise_floor_dbfs", &Levels::noise_floor_dbfs},
    {"rms_dbfs", &Levels::rms_dbfs}};

json exact(const Levels& l) {
  json out{{"clipped_samples", l.clipped_samples}, {"frames", l.frames}};
  for (const auto& [key, field] : level_fields)
    if (l.*field) out[key] = *(l.*field);
  return out;
}
Levels levels_from(const json& j) {
  Levels l;
  l.clipped_samples = j.value("clipped_samples", Samples{0});
  l.frames = j.value("frames", Samples{0});
  for (const auto& [key, field] : level_fields)
    if (j.contains(key)) l.*field = j.at(key).get<double>();
  return l;
}

json outline(const std::vector<PeakPair>& cells) {
  json out = json::array();
  for (const auto& c : cells)
    for (const float v : {c.low, c.high})
      out.push_back(std::lround(std::clamp(v, -4.0F, 4.0F) * 127));
  return out;
}
std::vector<PeakPair> outline_from(const json& j) {
  std::vector<PeakPair> out;
  for (size_t i = 0; i + 1 < j.size(); i += 2)
    out.push_back({static_cast<float>(j.at(i).get<int>()) / 127,
                   static_cast<float>(j.at(i + 1).get<int>()) / 127});
  return out;
}

// Size and time of change: what tells a touched file.
std::string state_of(const fs::path& file) {
  std::error_code error;
  const auto size = fs::file_size(file, error);
  if (error) return {};
  return std::to_string(size) + " " +
         std::to_string(fs::last_write_time(file, error).time_since_epoch().count());
}

}  // namespace

std::uint64_t render_key(const BatchJob& job, const BatchOptions& options) {
  Hasher h;
  h.add(stage_keys(job.plan).back())
      .add(job.find_room_tone)
      .add(static_cast<int>(options.container))
      .add(static_cast<int>(options.samples));
  for (const auto& f : options.also)
    h.add(static_cast<int>(f.container)).add(static_cast<int>(f.samples));
  h.add(job.plan.sound.place.value_or(ReelTime{-1}).s);
  if (options.length != RenderLength::ring) h.add(static_cast<int>(options.length));
  return h.value();
}

namespace {
constexpr const char* head = "{\"drevan_batch\":2}\n";
}

BatchRecord::BatchRecord(fs::path folder, const std::string& part, Use use)
    : folder_(std::move(folder)),
      file_(folder_ / (".drevan-batch" + (part.empty() ? "" : "-" + part) + ".json")) {
  std::error_code error;
  Read own;
  new_ = true;
  for (const auto& entry : fs::directory_iterator(folder_, error)) {
    const auto name = entry.path().filename().string();
    if (!name.starts_with(".drevan-batch") || !name.ends_with(".json")) continue;
    if (entry.path().filename() != file_.filename()) {
      read(entry.path(), others_);
      continue;
    }
    own = read(entry.path(), own_);
    new_ = false;
  }
  ends_torn_ = own.torn;
  size_t live = 0;
  for (const auto& [name, line] : own_.lines) live += line.size();
  if (use == Use::reading) return;
  if (own.old || own.bytes > 2 * live + 100000) compact();
}

std::string BatchRecord::within(const fs::path& file) const {
  return file.lexically_relative(folder_).generic_string();
}

void BatchRecord::take_line(const json& line, Entries& into) {
  const auto name = line.at("file").get<std::string>();
  into.states[name] = line.at("state").get<std::string>();
  if (line.contains("also"))
    for (const auto& [other, state] : line.at("also").items())
      into.states[other] = state.get<std::string>();
  into.lines[name] = line.dump();
}

BatchRecord::Read BatchRecord::read(const fs::path& file, Entries& into) {
  Read out;
  std::string all;
  try {
    all = read_text(file);
  } catch (const Error&) {
    return out;
  }
  out.bytes = all.size();
  out.torn = !all.empty() && all.back() != '\n';
  if (!all.starts_with("{\"drevan_batch\":2")) {  // of version 1: one object with all
    out.old = true;
    try {
      const auto j = parse_json(all, file.string());
      check_version(j, "drevan_batch", 1, file.string());
      for (const auto& [name, entry] : j.at("files").items()) {
        json line = entry;
        line["file"] = name;
        take_line(line, into);
      }
    } catch (const std::exception&) {
    }
    return out;
  }
  for (size_t at = 0; at < all.size();) {
    const auto end = std::min(all.find('\n', at), all.size());
    try {
      if (at > 0)
        take_line(parse_json(std::string_view(all).substr(at, end - at), file.string()), into);
    } catch (const std::exception&) {
      // Half a line of a batch that was killed says nothing.
    }
    at = end + 1;
  }
  return out;
}

void BatchRecord::compact() const {
  std::string text = head;
  for (const auto& [name, line] : own_.lines) text += line + "\n";
  try {
    write_text(file_, text);
  } catch (const Error&) {
  }
}

void BatchRecord::append(const std::string& line) {
  const int fd = ::open(file_.c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666);
  if (fd < 0) return;
  const std::string text = (new_         ? std::string(head)
                            : ends_torn_ ? std::string("\n")
                                         : std::string()) +
                           line + "\n";
  const bool all = write_all(fd, text) == 0;
  ::close(fd);
  new_ = false;
  ends_torn_ = !all;
}

std::optional<JobResult> BatchRecord::find(const fs::path& output, std::span<const fs::path> also,
                                           std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  auto found = result_of(own_, output, also, key);
  return found ? found : result_of(others_, output, also, key);
}

bool BatchRecord::made(const fs::path& file) const {
  const std::lock_guard lock(mutex_);
  return is_as_made(own_, file) || is_as_made(others_, file);
}

bool BatchRecord::is_as_made(const Entries& entries, const fs::path& file) const {
  const auto at = entries.states.find(within(file));
  return at != entries.states.end() && !at->second.empty() && at->second == state_of(file);
}

std::optional<JobResult> BatchRecord::result_of(const Entries& entries, const fs::path& output,
                                                std::span<const fs::path> also,
                                                std::uint64_t key) const {
  const auto at = entries.lines.find(within(output));
  const auto untouched = [&](const fs::path& file) { return is_as_made(entries, file); };
  if (at == entries.lines.end() || !untouched(output) || !std::ranges::all_of(also, untouched))
    return std::nullopt;
  try {
    const auto j = parse_json(at->second, file_.string());
    if (j.value("key", "") != to_hex(key)) return std::nullopt;
    JobResult r;
    r.output = output;
    r.also.assign(also.begin(), also.end());
    r.render.lead = j.value("lead", Samples{0});
    r.render.before = levels_from(j.at("before"));
    r.render.after = levels_from(j.at("after"));
    r.render.before_outline = outline_from(j.value("before_outline", json::array()));
    r.render.after_outline = outline_from(j.value("after_outline", json::array()));
    r.render.clipped = j.value("clipped", Samples{0});
    for (const auto& w : j.at("warnings")) r.render.warnings.push_back(w.get<std::string>());
    if (j.contains("room_tone_s"))
      r.room_tone = ClipRange{j.at("room_tone_s").at(0).get<double>(),
                              j.at("room_tone_s").at(1).get<double>()};
    r.room_tone_found = j.value("room_tone_found", false);
    r.whole = j.value("whole", true);
    r.kept = true;
    return r;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

void BatchRecord::keep(const JobResult& r, std::uint64_t key) {
  json line{{"file", within(r.output)},
            {"key", to_hex(key)},
            {"state", state_of(r.output)},
            {"lead", r.render.lead},
            {"before", exact(r.render.before)},
            {"after", exact(r.render.after)},
            {"before_outline", outline(r.render.before_outline)},
            {"after_outline", outline(r.render.after_outline)},
            {"clipped", r.render.clipped},
            {"warnings", r.render.warnings},
            {"room_tone_found", r.room_tone_found}};
  for (const auto& file : r.also) line["also"][within(file)] = state_of(file);
  if (r.room_tone) line["room_tone_s"] = {r.room_tone->begin.s, r.room_tone->end.s};
  if (!r.whole) line["whole"] = false;
  const std::lock_guard lock(mutex_);
  // Names that are no UTF-8 are lost in it, and rendered again.
  const auto text = line.dump(-1, ' ', false, json::error_handler_t::replace);
  take_line(json::parse(text), own_);
  append(text);
}

void BatchRecord::keep(const fs::path& file) {
  const json line{{"file", within(file)}, {"state", state_of(file)}};
  const std::lock_guard lock(mutex_);
  const auto text = line.dump(-1, ' ', false, json::error_handler_t::replace);
  take_line(json::parse(text), own_);
  append(text);
}

}  // namespace drevan
