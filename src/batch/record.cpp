#include "batch/record.h"

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/hash.h"
#include "engine/process.h"
#include "reel/json_file.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr std::pair<const char*, std::optional<double> Levels::*> fields[] = {
    {"sample_peak_dbfs", &Levels::sample_peak_dbfs},   {"true_peak_dbtp", &Levels::true_peak_dbtp},
    {"loudness_lufs", &Levels::loudness_lufs},         {"short_term_max_lufs", &Levels::short_term_max_lufs},
    {"loudness_range_lu", &Levels::loudness_range_lu}, {"noise_floor_dbfs", &Levels::noise_floor_dbfs},
    {"rms_dbfs", &Levels::rms_dbfs}};

json exact(const Levels& l) {
  json out{{"clipped_samples", l.clipped_samples}, {"frames", l.frames}};
  for (const auto& [key, field] : fields)
    if (l.*field) out[key] = *(l.*field);
  return out;
}
Levels levels_from(const json& j) {
  Levels l;
  l.clipped_samples = j.value("clipped_samples", Samples{0});
  l.frames = j.value("frames", Samples{0});
  for (const auto& [key, field] : fields)
    if (j.contains(key)) l.*field = j.at(key).get<double>();
  return l;
}

json outline(const std::vector<PeakPair>& cells) {
  json out = json::array();
  for (const auto& c : cells)
    for (const float v : {c.low, c.high}) out.push_back(std::lround(std::clamp(v, -4.0F, 4.0F) * 127));
  return out;
}
std::vector<PeakPair> outline_from(const json& j) {
  std::vector<PeakPair> out;
  for (size_t i = 0; i + 1 < j.size(); i += 2) out.push_back({static_cast<float>(j.at(i).get<int>()) / 127, static_cast<float>(j.at(i + 1).get<int>()) / 127});
  return out;
}

// Size and time of change: what tells a touched file.
std::string state_of(const fs::path& file) {
  std::error_code error;
  const auto size = fs::file_size(file, error);
  if (error) return {};
  return std::to_string(size) + " " + std::to_string(fs::last_write_time(file, error).time_since_epoch().count());
}

}  // namespace

std::uint64_t render_key(const BatchJob& job, const BatchOptions& options) {
  Hasher h;
  h.add(stage_keys(job.sound, job.chain).back()).add(job.find_room_tone).add(static_cast<int>(options.container)).add(static_cast<int>(options.samples));
  for (const auto& f : options.also) h.add(static_cast<int>(f.container)).add(static_cast<int>(f.samples));
  h.add(job.sound.place_s.value_or(-1));
  return h.value();
}

BatchRecord::BatchRecord(fs::path folder, const std::string& part)
    : folder_(std::move(folder)), file_(folder_ / (".drevan-batch" + (part.empty() ? "" : "-" + part) + ".json")) {
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder_, error)) {
    const auto name = entry.path().filename().string();
    if (name.starts_with(".drevan-batch") && name.ends_with(".json")) read(entry.path(), entry.path() == file_ ? own_ : others_);
  }
}

void BatchRecord::read(const fs::path& file, Entries& into) {
  Entries all;
  try {
    const auto j = parse_json(read_text(file), file.string());
    check_version(j, "drevan_batch", 1, file.string());
    for (const auto& [name, entry] : j.at("files").items())
      if (entry.is_object()) all[name] = entry.dump();
  } catch (const Error&) {
    return;
  } catch (const json::exception&) {
    return;
  }
  into.merge(all);
}

std::optional<JobResult> BatchRecord::find(const fs::path& output, std::uint64_t key) const {
  const std::lock_guard lock(mutex_);
  const auto name = output.lexically_relative(folder_).generic_string();
  auto found = result_of(own_, name, output, key);
  return found ? found : result_of(others_, name, output, key);
}

std::optional<JobResult> BatchRecord::result_of(const Entries& entries, const std::string& name, const fs::path& output, std::uint64_t key) {
  const auto at = entries.find(name);
  if (at == entries.end()) return std::nullopt;
  try {
    const auto j = json::parse(at->second);
    if (j.value("key", "") != to_hex(key) || j.value("state", "") != state_of(output)) return std::nullopt;
    JobResult r;
    r.output = output;
    r.render.before = levels_from(j.at("before"));
    r.render.after = levels_from(j.at("after"));
    r.render.before_outline = outline_from(j.value("before_outline", json::array()));
    r.render.after_outline = outline_from(j.value("after_outline", json::array()));
    r.render.clipped = j.value("clipped", Samples{0});
    for (const auto& w : j.at("warnings")) r.render.warnings.push_back(w.get<std::string>());
    if (j.contains("room_tone_s")) r.room_tone = SecondsRange{j.at("room_tone_s").at(0).get<double>(), j.at("room_tone_s").at(1).get<double>()};
    r.room_tone_found = j.value("room_tone_found", false);
    r.kept = true;
    return r;
  } catch (const json::exception&) {
    return std::nullopt;
  }
}

void BatchRecord::keep(const JobResult& r, std::uint64_t key) {
  json entry{{"key", to_hex(key)},
             {"state", state_of(r.output)},
             {"before", exact(r.render.before)},
             {"after", exact(r.render.after)},
             {"before_outline", outline(r.render.before_outline)},
             {"after_outline", outline(r.render.after_outline)},
             {"clipped", r.render.clipped},
             {"warnings", r.render.warnings},
             {"room_tone_found", r.room_tone_found}};
  if (r.room_tone) entry["room_tone_s"] = {r.room_tone->begin, r.room_tone->end};
  const std::lock_guard lock(mutex_);
  own_[r.output.lexically_relative(folder_).generic_string()] = entry.dump();
  std::string text = "{\"drevan_batch\": 1, \"files\": {\n";
  bool first = true;
  for (const auto& [name, content] : own_) {
    text += (first ? "" : ",\n") + json(name).dump() + ": " + content;
    first = false;
  }
  try {
    write_text(file_, text + "\n}}\n");
  } catch (const Error&) {
  }
}

}  // namespace drevan
