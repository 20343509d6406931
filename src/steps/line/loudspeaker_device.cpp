// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/line/loudspeaker_device.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <sstream>

#include "audio/error.h"

namespace drevan {

namespace {

using nlohmann::json;

// The text that every build carries.
constexpr const char* own_devices =
#include "steps/devices.inc"
    ;

struct Fault {
  std::string what;
};

double number(const json& j, const std::string& name, double least, double most) {
  if (!j.is_number()) throw Fault{fmt::format("has no number at \"{}\"", name)};
  const double v = j.get<double>();
  if (!(v >= least && v <= most))
    throw Fault{fmt::format("has {:g} at \"{}\", allowed is {:g} to {:g}", v, name, least, most)};
  return v;
}
void take(const json& from, const char* name, double& into, double least, double most) {
  if (const auto at = from.find(name); at != from.end()) into = number(*at, name, least, most);
}
double needed(const json& from, const char* name, double least, double most) {
  const auto at = from.find(name);
  if (at == from.end()) throw Fault{fmt::format("has no field \"{}\"", name)};
  return number(*at, name, least, most);
}
std::string words(const json& from, const char* name, const char* otherwise) {
  const auto at = from.find(name);
  if (at == from.end()) return otherwise;
  if (!at->is_string()) throw Fault{fmt::format("has no text at \"{}\"", name)};
  return at->get<std::string>();
}
template <class Take>
void rows(const json& from, const char* name, size_t most, size_t width, Take take_row) {
  const auto at = from.find(name);
  if (at == from.end()) return;
  if (!at->is_array() || at->size() > most)
    throw Fault{fmt::format("has no list of at most {} at \"{}\"", most, name)};
  for (const auto& row : *at) {
    if (!row.is_array() || row.size() != width)
      throw Fault{fmt::format("has a row without {} numbers at \"{}\"", width, name)};
    take_row(row);
  }
}

std::shared_ptr<const std::vector<SpeakerPoint>> checked(std::vector<SpeakerPoint> points) {
  if (points.empty()) return nullptr;
  if (points.size() < 2) throw Fault{"has a single measured point; two are needed"};
  std::ranges::sort(points, {}, &SpeakerPoint::hz);
  for (size_t i = 1; i < points.size(); ++i)
    if (points[i].hz == points[i - 1].hz)
      throw Fault{fmt::format("has two measured points at {:g} Hz", points[i].hz)};
  return std::make_shared<const std::vector<SpeakerPoint>>(std::move(points));
}

SpeakerBox box_named(const std::string& name) {
  constexpr const char* names[] = {"closed", "vented", "open", "horn"};
  for (int i = 0; i < 4; ++i)
    if (name == names[i]) return static_cast<SpeakerBox>(i);
  throw Fault{fmt::format("has \"{}\" at \"box\", allowed are closed, vented, open, horn", name)};
}

void take_box(const json& j, Speaker& d) {
  d.box = box_named(words(j, "box", "closed"));
  if (d.box == SpeakerBox::vented) d.port_hz = needed(j, "port_hz", 15, 5000);
  if (d.box == SpeakerBox::open) d.path_m = needed(j, "path_m", 0.01, 5);
  if (d.box != SpeakerBox::horn) return;
  d.horn_hz = needed(j, "horn_hz", 20, 5000);
  d.horn_m = needed(j, "horn_m", 0.02, 10);
}

void take_limits(const json& j, Speaker& d) {
  take(j, "clip_dbfs", d.clip_dbfs, -40, 40);
  take(j, "bias", d.bias, 0, 1);
  take(j, "excursion_dbfs", d.excursion_dbfs, -40, 40);
  const std::string clip = words(j, "clip", "hard");
  if (clip != "hard" && clip != "soft")
    throw Fault{fmt::format("has \"{}\" at \"clip\", allowed are hard, soft", clip)};
  d.clip = clip == "hard" ? Bend::hard : Bend::soft;
  const auto rattle = j.find("rattle");
  if (rattle == j.end()) return;
  if (!rattle->is_object()) throw Fault{"has no object at \"rattle\""};
  take(*rattle, "hz", d.rattle_hz, 100, 10000);
  take(*rattle, "at_dbfs", d.rattle_at_dbfs, -60, 20);
  take(*rattle, "db", d.rattle_db, -60, 0);
}

void refuse_unknown(const json& j) {
  constexpr std::string_view known[] = {"drevan_device", "id",
                                        "label",         "box",
                                        "resonance_hz",  "q",
                                        "port_hz",       "path_m",
                                        "horn_hz",       "horn_m",
                                        "upper_hz",      "upper_slope_db",
                                        "break_up",      "cabinet",
                                        "radius_mm",     "line_m",
                                        "box_m",         "clip_dbfs",
                                        "clip",          "bias",
                                        "rattle",        "excursion_dbfs",
                                        "measured_db"};
  for (const auto& [name, value] : j.items())
    if (std::ranges::find(known, name) == std::end(known))
      throw Fault{fmt::format("has an unknown field \"{}\"", name)};
}

void take_peaks(const json& j, const char* name, SpeakerPeaks& into) {
  rows(j, name, into.at.size(), 3, [&](const json& row) {
    into.at[into.count++] = {number(row[0], name, 20, 20000), number(row[1], name, -30, 20),
                             number(row[2], name, 0.3, 20)};
  });
}

SpeakerDevice device_of(const json& j) {
  if (!j.is_object()) throw Fault{"is no description of a device"};
  refuse_unknown(j);
  Speaker d;
  d.resonance_hz = needed(j, "resonance_hz", 15, 8000);
  d.q = needed(j, "q", 0.2, 10);
  take_box(j, d);
  take(j, "upper_hz", d.upper_hz, 200, 20000);
  take(j, "upper_slope_db", d.upper_slope_db, 12, 24);
  if (d.upper_slope_db != 12 && d.upper_slope_db != 24)
    throw Fault{"has no 12 or 24 at \"upper_slope_db\""};
  take_peaks(j, "break_up", d.break_up);
  take_peaks(j, "cabinet", d.cabinet);
  take(j, "radius_mm", d.radius_mm, 1, 1000);
  take(j, "line_m", d.line_m, 0, 10);
  take(j, "box_m", d.box_m, 0.01, 5);
  take_limits(j, d);
  std::vector<SpeakerPoint> points;
  rows(j, "measured_db", 4096, 2, [&](const json& row) {
    points.push_back(
        {number(row[0], "measured_db", 1, 100000), number(row[1], "measured_db", -120, 60)});
  });
  d.measured = checked(std::move(points));
  return {words(j, "id", "own"), words(j, "label", "Own device"), std::move(d)};
}

// Lines of a frequency and a level, with a comma, a semicolon or blanks between; others are words.
SpeakerDevice device_of_table(const std::string& table) {
  std::vector<SpeakerPoint> points;
  std::istringstream lines(table);
  for (std::string line; std::getline(lines, line);) {
    std::ranges::replace_if(
        line, [](char c) { return c == ',' || c == ';' || c == '\t'; }, ' ');
    std::istringstream values(line);
    values.imbue(std::locale::classic());
    SpeakerPoint p{};
    if (!(values >> p.hz >> p.db)) continue;
    if (!(p.hz > 0 && p.hz <= 100000 && std::abs(p.db) <= 200))
      throw Fault{fmt::format("has the line \"{}\", which is no frequency and level", line)};
    if (points.size() == 100000) throw Fault{"has more than 100000 lines"};
    points.push_back(p);
  }
  if (points.empty()) throw Fault{"has no line with a frequency and a level in dB"};
  // What counts is the shape: 0 dB at its loudest.
  const double top = std::ranges::max_element(points, {}, &SpeakerPoint::db)->db;
  for (auto& p : points) p.db -= top;
  Speaker d;
  d.resonance_hz = 20;
  d.clip_dbfs = d.excursion_dbfs = 40;
  d.measured = checked(std::move(points));
  return {"own", "Measured", std::move(d)};
}

SpeakerDevice device_in(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::string text(1 << 22, '\0');
  in.read(text.data(), static_cast<std::streamsize>(text.size()));
  text.resize(static_cast<size_t>(in.gcount()));
  if (text.empty()) throw Fault{"is empty or cannot be read"};
  if (file.extension() != ".json") return device_of_table(text);
  const json j = json::parse(text, nullptr, false);
  if (j.is_discarded()) throw Fault{"is no JSON"};
  return device_of(j);
}

}  // namespace

std::span<const SpeakerDevice> speaker_devices() {
  static const auto all = [] {
    std::vector<SpeakerDevice> out;
    for (const auto& j : json::parse(own_devices)) out.push_back(device_of(j));
    return out;
  }();
  return all;
}

SpeakerDevice read_speaker_device(const std::filesystem::path& file) try {
  return device_in(file);
} catch (const Fault& fault) {
  throw Error(Error::Kind::input,
              fmt::format("{} {}. Mend the file or choose another one.", file.string(), fault.what),
              file);
}

std::optional<SpeakerDevice> known_speaker_device(const std::filesystem::path& file) {
  struct Known {
    std::filesystem::file_time_type time;
    std::uintmax_t size;
    std::optional<SpeakerDevice> device;
  };
  static std::mutex mutex;
  static std::map<std::filesystem::path, Known> all;
  std::error_code error;
  const auto time = std::filesystem::last_write_time(file, error);
  const auto size = std::filesystem::file_size(file, error);
  if (error) return std::nullopt;
  const std::lock_guard lock(mutex);
  if (const auto at = all.find(file);
      at != all.end() && at->second.time == time && at->second.size == size)
    return at->second.device;
  if (all.size() > 64) all.clear();
  Known known{time, size, std::nullopt};
  try {
    known.device = device_in(file);
  } catch (const Fault&) {  // told by speaker_file_fault()
  }
  return (all[file] = std::move(known)).device;
}

std::string speaker_file_fault(std::string_view file) try {
  device_in(std::filesystem::path(file));
  return {};
} catch (const Fault& fault) {
  return fault.what;
}

}  // namespace drevan
