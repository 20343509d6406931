// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/report.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstdio>
#include <memory>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "reel/library/source_files.h"

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

// A cell that begins like a formula would be reckoned by a spreadsheet: an apostrophe keeps it text.
std::string quoted(std::string s) {
  for (char& c : s)
    if ((static_cast<unsigned char>(c) < 32 && c != '\n') || c == 127) c = ' ';
  if (!s.empty() && std::string_view("=+-@").find(s.front()) != std::string_view::npos)
    s.insert(0, 1, '\'');
  s = to_utf8(s);
  if (s.find_first_of(",\"\r\n") == std::string::npos) return s;
  std::string out = "\"";
  for (const char c : s) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

std::string missed_text(const std::vector<std::string>& missed) {
  std::vector<std::string> all;
  for (const auto& m : missed) all.push_back(fmt::format("Misses the target: {}.", m));
  return fmt::format("{}", fmt::join(all, " "));
}

std::string remarks(const MixFile& f) {
  std::vector<std::string> all;
  if (!f.chain.empty()) all.push_back(fmt::format("Mix chain: {}.", fmt::join(f.chain, ", ")));
  if (!f.missed.empty()) all.push_back(missed_text(f.missed));
  all.insert(all.end(), f.warnings.begin(), f.warnings.end());
  return fmt::format("{}", fmt::join(all, " "));
}

std::string remarks(const JobResult& r) {
  std::vector<std::string> all;
  if (!r.problem.empty()) all.push_back(r.problem);
  if (!r.missed.empty()) all.push_back(missed_text(r.missed));
  all.insert(all.end(), r.render.warnings.begin(), r.render.warnings.end());
  return fmt::format("{}", fmt::join(all, " "));
}

}  // namespace

std::string_view state_label(JobState state) {
  switch (state) {
    case JobState::waiting:
      return "waiting";
    case JobState::running:
      return "rendering";
    case JobState::done:
      return "done";
    case JobState::failed:
      return "failed";
    case JobState::cancelled:
      return "cancelled";
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

ordered_json report_json(const Report& report) {
  const auto& [jobs, results, target, files] = report;
  ordered_json out{{"drevan_report", 1}, {"clips", ordered_json::array()}};
  for (size_t i = 0; i < jobs.size(); ++i) {
    const JobResult& r = results[i];
    ordered_json one{
        {"clip", jobs[i].clip},
        {"source", jobs[i].plan.sound.file.string()},
        {"output", r.state == JobState::done ? ordered_json(r.output.string()) : nullptr},
        {"result", std::string(state_label(r.state))}};
    if (!r.whole) one["whole"] = false;
    if (r.room_tone)
      one["room_tone_s"] = {std::round(r.room_tone->begin.s * 1000) / 1000,
                            std::round(r.room_tone->end.s * 1000) / 1000};
    if (r.state == JobState::done) {
      one["before"] = to_json(r.render.before);
      one["after"] = to_json(r.render.after);
    }
    if (!r.missed.empty()) one["missed"] = r.missed;
    if (!r.problem.empty()) one["problem"] = r.problem;
    if (!r.render.warnings.empty()) one["warnings"] = r.render.warnings;
    out["clips"].push_back(std::move(one));
  }
  for (const auto& f : files) {
    ordered_json one{
        {"name", f.name}, {"output", f.output.string()}, {"levels", to_json(f.levels)}};
    if (!f.chain.empty()) one["mix_chain"] = f.chain;
    if (f.before) one["before"] = to_json(*f.before);
    if (!f.warnings.empty()) one["warnings"] = f.warnings;
    if (!f.missed.empty()) one["missed"] = f.missed;
    if (f.clipped > 0) one["clipped_samples"] = f.clipped;
    out["files"].push_back(std::move(one));
  }
  return out;
}

std::string report_csv(const Report& report) {
  const auto& [jobs, results, target, files] = report;
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
  for (const auto& f : files)
    out += fmt::format("{},{},{},{},{},{},{},{},{},{},{}\r\n", quoted(f.name),
                       state_label(JobState::done), quoted(f.output.string()),
                       f.before ? text(f.before->sample_peak_dbfs) : "",
                       text(f.levels.sample_peak_dbfs), text(f.levels.true_peak_dbtp),
                       f.before ? text(f.before->loudness_lufs) : "", text(f.levels.loudness_lufs),
                       f.before ? text(f.before->noise_floor_dbfs) : "",
                       text(f.levels.noise_floor_dbfs), quoted(remarks(f)));
  return out;
}

namespace {

constexpr std::string_view csv_begin = "clip,result,output,peak_before_dbfs",
                           json_begin = "{\n  \"drevan_report\"",
                           html_begin =
                               "<!doctype html><html lang=en><meta charset=utf-8><title>Drevan";

bool is_report(const std::filesystem::path& file) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> in(std::fopen(file.c_str(), "rb"), std::fclose);
  std::array<char, 100> begin{};
  const std::string_view read(begin.data(),
                              in ? std::fread(begin.data(), 1, begin.size(), in.get()) : 0);
  return read.starts_with(csv_begin) || read.starts_with(json_begin) ||
         read.starts_with(html_begin);
}

}  // namespace

std::filesystem::path free_report_name(const std::filesystem::path& file,
                                       std::span<const std::filesystem::path> sources,
                                       bool overwrite) {
  auto out = file;
  std::error_code error;
  for (int n = 2; std::filesystem::exists(std::filesystem::symlink_status(out, error)) &&
                  (is_source(out, sources) || !(overwrite || is_report(out)));
       ++n)
    out.replace_filename(
        fmt::format("{}-{}{}", file.stem().string(), n, file.extension().string()));
  return out;
}

void save_report(const std::filesystem::path& file, const Report& report) {
  if (file.extension() == ".html") return write_text(file, report_html(report));
  if (file.extension() == ".json") return write_text(file, dump_json(report_json(report), 2));
  if (file.extension() == ".csv") return write_text(file, report_csv(report));
  throw Error(
      Error::Kind::call,
      fmt::format("{}: a report is written as .html, .json or .csv; name it so.", file.string()));
}

}  // namespace drevan
