// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/value_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "steps/curve_edit.h"

namespace drevan {

namespace {

std::optional<int> as_int(std::string_view text) {
  int n = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), n);
  if (error != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  return n;
}

}  // namespace

nlohmann::ordered_json value_to_json(const Parameter& p, double value) {
  if (p.scale == Scale::choice) {
    const auto id = p.choices.at(static_cast<size_t>(std::lround(value))).id;
    if (const auto n = as_int(id)) return *n;
    return std::string(id);
  }
  if (p.off_at && value == *p.off_at) return "off";
  if (value == std::floor(value) && std::abs(value) < 1e9) return static_cast<std::int64_t>(value);
  return value;
}

namespace {

std::string allowed(const Parameter& p) {
  if (p.scale != Scale::choice) {
    const auto unit = p.unit.empty() ? "" : " " + std::string(p.unit);
    return fmt::format("allowed is {} to {}{}{}", p.least, p.most, unit,
                       p.off_at ? " or \"off\"" : "");
  }
  std::string list;
  for (const auto& c : p.choices)
    list += (list.empty() ? "" : ", ") +
            (as_int(c.id) ? std::string(c.id) : fmt::format("\"{}\"", c.id));
  return "allowed are " + list;
}

}  // namespace

double value_from_json(const Parameter& p, const nlohmann::json& json, const std::string& where) {
  const auto bad = [&] {
    return wrong(where, fmt::format("\"{}\" is {}, {}.", p.id, shown(json), allowed(p)));
  };
  if (p.scale == Scale::choice) {
    std::string id;
    if (json.is_string()) id = json.get<std::string>();
    if (json.is_number_integer()) id = fmt::format("{}", json.get<long long>());
    for (size_t i = 0; i < p.choices.size(); ++i)
      if (p.choices[i].id == id) return static_cast<double>(i);
    throw bad();
  }
  if (p.off_at && json.is_string() && json.get<std::string>() == "off") return *p.off_at;
  if (!json.is_number() || !in_range(p, json.get<double>())) throw bad();
  return json.get<double>();
}

namespace {

constexpr std::string_view shape_names[] = {"line", "smooth", "hold"};

CurveShape shape_from_json(const nlohmann::json& json, const std::string& where) {
  for (size_t i = 0; i < std::size(shape_names); ++i)
    if (json == shape_names[i]) return static_cast<CurveShape>(i);
  throw wrong(where, fmt::format("{} is no shape; there are \"line\", \"smooth\" and \"hold\".",
                                 shown(json)));
}

}  // namespace

Curve curve_from_json(const nlohmann::json& json, const Parameter* p, const std::string& where) {
  if (!json.is_array() || json.empty())
    throw wrong(where, "a curve must be a list of points: [[seconds, value], ...].");
  if (json.size() > most_curve_points)
    throw wrong(where,
                fmt::format("it has {} points, allowed are {}.", json.size(), most_curve_points));
  // Nothing lies between the entries of a list, or between on and off.
  const bool holds = !p || only_holds(*p);
  Curve curve;
  for (size_t i = 0; i < json.size(); ++i) {
    const auto& point = json[i];
    const auto here = fmt::format("{}, point {}", where, i + 1);
    if (!point.is_array() || point.size() < 2 || point.size() > 3 || !point[0].is_number())
      throw wrong(here, "a point must be [seconds, value] or [seconds, value, \"shape\"].");
    CurvePoint read{point[0].get<double>(), 0, holds ? CurveShape::hold : CurveShape::line};
    if (!(std::abs(read.s) <= latest_point_s))
      throw wrong(here, fmt::format("its time is {}, allowed are {:.0f} to {:.0f} s.",
                                    shown(point[0]), -latest_point_s, latest_point_s));
    if (!curve.points.empty() && read.s <= curve.points.back().s)
      throw wrong(here, "points must follow each other in time.");
    if (!p && !point[1].is_boolean())
      throw wrong(here, fmt::format("\"on\" is {}, allowed are true and false.", shown(point[1])));
    read.value = p ? value_from_json(*p, point[1], here) : point[1].get<bool>() ? 1 : 0;
    if (point.size() == 3) read.shape = shape_from_json(point[2], here);
    if (holds && read.shape != CurveShape::hold)
      throw wrong(here, "between entries of a list, or on and off, there is only \"hold\".");
    curve.points.push_back(read);
  }
  return curve;
}

nlohmann::ordered_json curve_to_json(const Curve& curve, const Parameter* p) {
  const auto usual = !p || only_holds(*p) ? CurveShape::hold : CurveShape::line;
  auto points = nlohmann::ordered_json::array();
  for (const auto& point : curve.points) {
    nlohmann::ordered_json one{
        point.s, p ? value_to_json(*p, point.value) : nlohmann::ordered_json(point.value > 0.5)};
    if (point.shape != usual)
      one.push_back(std::string(shape_names[static_cast<size_t>(point.shape)]));
    points.push_back(std::move(one));
  }
  return points;
}

nlohmann::ordered_json text_to_json(const TextParameter& p, const std::string& text) {
  if (!p.is_file() || is_utf8(text)) return to_utf8(text);
  return {{"path", to_utf8(text)}, {"path_bytes", to_hex_bytes(text)}};
}

std::string text_from_json(const TextParameter& p, const nlohmann::json& json,
                           const std::string& where) {
  if (p.is_file() && json.is_object() && json.contains("path_bytes")) {
    only_members(json, {"path", "path_bytes"}, where);
    auto bytes = from_hex_bytes(member<std::string>(json, "path_bytes", "", where));
    if (bytes.empty() || bytes.find('\0') != std::string::npos)
      throw wrong(where, fmt::format("\"{}\" is no path of a file.", p.id));
    return bytes;
  }
  if (!json.is_string())
    throw wrong(where, fmt::format("\"{}\" is {}, allowed is {}.", p.id, shown(json),
                                   p.is_file() ? "the path of a file" : "text"));
  auto text = json.get<std::string>();
  const bool good = text.size() <= 4096 && text.find('\0') == std::string::npos;
  const std::string fault = !good         ? "is no text that can be used"
                            : p.is_file() ? ""
                                          : fault_of(p, text);
  if (!fault.empty()) throw wrong(where, fmt::format("\"{}\" {}.", p.id, fault));
  return text;
}

nlohmann::ordered_json curves_to_json(const std::vector<Track>& curves, const StepType& type) {
  nlohmann::ordered_json out = nlohmann::ordered_json::object();
  for (const auto& track : curves) {
    const Parameter* p = track.parameter == on_parameter
                             ? nullptr
                             : &type.parameters[static_cast<size_t>(track.parameter)];
    out[p ? std::string(p->id) : "on"] = curve_to_json(*track.curve, p);
  }
  return out;
}

std::vector<Track> curves_from_json(const nlohmann::json& json, const StepType& type,
                                    const std::string& where) {
  if (!json.is_object()) throw wrong(where, "must be an object of curves by setting.");
  std::vector<Track> out;
  for (const auto& [name, points] : json.items()) {
    const int i = name == "on" ? on_parameter : parameter_index(type, name);
    const Parameter* p = i < 0 ? nullptr : &type.parameters[static_cast<size_t>(i)];
    if (!p && name != "on") throw wrong(where, fmt::format("there is no setting {}.", shown(name)));
    if (p && !may_follow_curve(type, i))
      throw wrong(
          where,
          fmt::format(
              "\"{}\" cannot follow a curve: what it changes is settled before the sound begins.",
              p->id));
    if (!p && !may_follow_curve(type, on_parameter))
      throw wrong(
          where,
          fmt::format(
              "{} is there for the whole sound or not at all, so \"on\" cannot follow a curve.",
              type.label));
    out.push_back({i, std::make_shared<const Curve>(curve_from_json(
                          points, p, fmt::format("{}, {}", where, p ? p->id : "on")))});
  }
  std::ranges::sort(out, {}, &Track::parameter);
  return out;
}

}  // namespace drevan
