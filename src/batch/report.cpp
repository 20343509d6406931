#include "batch/report.h"

#include <fmt/format.h>

#include <cmath>

#include "audio/error.h"
#include "reel/json_file.h"

namespace drevan {

using nlohmann::ordered_json;

namespace {

ordered_json level(const std::optional<double>& value) {
  if (!value) return nullptr;
  return std::round(*value * 100) / 100;
}

std::string text(const std::optional<double>& value) {
  return value ? fmt::format("{:.2f}", *value) : "";
}

std::string quoted(const std::string& s) {
  if (s.find_first_of(",\"\r\n") == std::string::npos) return s;
  std::string out = "\"";
  for (const char c : s) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::string remarks(const JobResult& r) {
  std::vector<std::string> all;
  if (!r.problem.empty()) all.push_back(r.problem);
  for (const auto& m : r.missed) all.push_back(fmt::format("Misses the target: {}.", m));
  all.insert(all.end(), r.render.warnings.begin(), r.render.warnings.end());
  return fmt::format("{}", fmt::join(all, " "));
}

}  // namespace

std::string_view state_label(JobState state) {
  switch (state) {
    case JobState::waiting: return "waiting";
    case JobState::running: return "rendering";
    case JobState::done: return "done";
    case JobState::failed: return "failed";
    case JobState::cancelled: return "cancelled";
  }
  return "";
}

ordered_json to_json(const Levels& l) {
  return {{"sample_peak_dbfs", level(l.sample_peak_dbfs)},
          {"true_peak_dbtp", level(l.true_peak_dbtp)},
          {"loudness_lufs", level(l.loudness_lufs)},
          {"loudness_range_lu", level(l.loudness_range_lu)},
          {"noise_floor_dbfs", level(l.noise_floor_dbfs)},
          {"clipped_samples", l.clipped_samples}};
}

ordered_json report_json(std::span<const BatchJob> jobs, std::span<const JobResult> results) {
  ordered_json out{{"drevan_report", 1}, {"clips", ordered_json::array()}};
  for (size_t i = 0; i < jobs.size(); ++i) {
    const JobResult& r = results[i];
    ordered_json one{{"clip", jobs[i].clip},
                     {"source", jobs[i].sound.file.string()},
                     {"output", r.state == JobState::done ? ordered_json(r.output.string()) : nullptr},
                     {"result", std::string(state_label(r.state))}};
    if (r.room_tone)
      one["room_tone_s"] = {std::round(r.room_tone->begin * 1000) / 1000,
                            std::round(r.room_tone->end * 1000) / 1000};
    if (r.state == JobState::done) {
      one["before"] = to_json(r.render.before);
      one["after"] = to_json(r.render.after);
    }
    if (!r.missed.empty()) one["missed"] = r.missed;
    if (!r.problem.empty()) one["problem"] = r.problem;
    if (!r.render.warnings.empty()) one["warnings"] = r.render.warnings;
    out["clips"].push_back(std::move(one));
  }
  return out;
}

std::string report_csv(std::span<const BatchJob> jobs, std::span<const JobResult> results) {
  std::string out =
      "clip,result,output,peak_before_dbfs,peak_after_dbfs,true_peak_after_dbtp,"
      "loudness_before_lufs,loudness_after_lufs,noise_floor_before_dbfs,noise_floor_after_dbfs,"
      "remarks\r\n";
  for (size_t i = 0; i < jobs.size(); ++i) {
    const JobResult& r = results[i];
    const Levels& b = r.render.before;
    const Levels& a = r.render.after;
    out += fmt::format("{},{},{},{},{},{},{},{},{},{},{}\r\n", quoted(jobs[i].clip),
                       state_label(r.state),
                       quoted(r.state == JobState::done ? r.output.string() : ""),
                       text(b.sample_peak_dbfs), text(a.sample_peak_dbfs), text(a.true_peak_dbtp),
                       text(b.loudness_lufs), text(a.loudness_lufs), text(b.noise_floor_dbfs),
                       text(a.noise_floor_dbfs), quoted(remarks(r)));
  }
  return out;
}

void save_report(const std::filesystem::path& file, std::span<const BatchJob> jobs,
                 std::span<const JobResult> results) {
  if (file.extension() == ".json")
    return write_text(file, report_json(jobs, results).dump(2) + "\n");
  if (file.extension() == ".csv") return write_text(file, report_csv(jobs, results));
  throw Error(Error::Kind::call,
              fmt::format("{}: a report is written as .json or .csv; name it so.", file.string()));
}

}  // namespace drevan
