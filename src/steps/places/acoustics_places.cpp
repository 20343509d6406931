// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/places/acoustics_places.h"

#include <deque>
#include <nlohmann/json.hpp>

namespace drevan {

namespace {

using nlohmann::json;

// The text that every build carries.
constexpr const char* own_places =
#include "steps/places.inc"
    ;

const json& data() {
  static const json all = json::parse(own_places);
  return all;
}

double index_of(const std::string& id) {
  const auto all = surface_materials();
  for (size_t i = 0; i < all.size(); ++i)
    if (all[i].id == id) return static_cast<double>(i);
  throw std::runtime_error("places.json: no material " + id);
}

// Words that last as long as the program.
std::string_view kept(const std::string& words) {
  static std::deque<std::string> all;
  return all.emplace_back(words);
}

NamedSettings settings_of(const json& p) {
  NamedSettings out{kept(p.at("name")), kept(p.at("note")), {}, kept(p.at("kind"))};
  const char* sizes[] = {"width_m", "length_m", "height_m"};
  for (size_t i = 0; i < 3; ++i) out.values.emplace_back(sizes[i], p.at("size")[i].get<double>());
  const char* sides[] = {"floor", "ceiling", "front", "back", "left", "right"};
  for (size_t i = 0; i < 6; ++i) out.values.emplace_back(sides[i], index_of(p.at("sides")[i]));
  constexpr std::pair<const char*, const char*> others[] = {
      {"furniture", "furniture_pct"}, {"people", "people"},     {"scatter", "scatter_pct"},
      {"decay", "decay_pct"},         {"bright", "bright_db"},  {"room", "room_db"},
      {"away", "distance_m"},         {"low_end", "low_end_db"}};
  for (const auto& [name, id] : others)
    if (const auto at = p.find(name); at != p.end()) out.values.emplace_back(id, at->get<double>());
  return out;
}

}  // namespace

std::span<const SurfaceMaterial> surface_materials() {
  static const auto all = [] {
    std::vector<SurfaceMaterial> out;
    for (const auto& m : data().at("materials")) {
      SurfaceMaterial material{m.at("id"), m.at("label"), {}};
      const auto& octaves = m.at("octaves");
      for (size_t b = 0; b < octave_count; ++b)
        material.absorption[b] = octaves[std::clamp<size_t>(b, 1, 6) - 1].get<double>();
      out.push_back(std::move(material));
    }
    return out;
  }();
  return all;
}

std::span<const NamedSettings> acoustic_places() {
  static const auto all = [] {
    std::vector<NamedSettings> out;
    for (const auto& p : data().at("places")) out.push_back(settings_of(p));
    return out;
  }();
  return all;
}

}  // namespace drevan
