// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/scene/sends.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "reel/edits/draft.h"
#include "reel/files/json_file.h"
#include "reel/files/value_json.h"
#include "steps/catalogue.h"
#include "steps/curve_edit.h"

namespace drevan {

using nlohmann::json;
using nlohmann::ordered_json;

namespace {

const Parameter& acoustics_parameter(std::string_view id) {
  return parameter_of(step_for(Role::place), id);
}
const Parameter& elevation_parameter() {
  static const Parameter& p = acoustics_parameter("elevation_deg");
  return p;
}

void add_number(ordered_json& out, const Parameter& p, double value) {
  out[std::string(p.id)] = value_to_json(p, value);
}

double number_in(const json& j, const Parameter& p, double standard, const std::string& where) {
  const auto at = j.find(std::string(p.id));
  return at == j.end() ? standard : value_from_json(p, *at, where);
}

std::optional<Curve> curve_in(const json& j, const char* key, const Parameter& p,
                              const std::string& where) {
  if (!j.contains(key)) return std::nullopt;
  return curve_from_json(j.at(key), &p, fmt::format("{}, {}", where, key));
}

ordered_json place_to_json(const SendPlace& place) {
  ordered_json out = ordered_json::object();
  add_number(out, send_azimuth_parameter(), place.azimuth_deg);
  add_number(out, elevation_parameter(), place.elevation_deg);
  add_number(out, send_distance_parameter(), place.distance_m);
  if (place.azimuth) out["azimuth"] = curve_to_json(*place.azimuth, &send_azimuth_parameter());
  if (place.distance) out["distance"] = curve_to_json(*place.distance, &send_distance_parameter());
  return out;
}

SendPlace place_from_json(const json& j, const std::string& where) {
  if (!j.is_object()) throw wrong(where, "\"place\" must be an object.");
  only_members(j, {"azimuth_deg", "elevation_deg", "distance_m", "azimuth", "distance"}, where);
  SendPlace out;
  out.azimuth_deg = number_in(j, send_azimuth_parameter(), out.azimuth_deg, where);
  out.elevation_deg = number_in(j, elevation_parameter(), out.elevation_deg, where);
  out.distance_m = number_in(j, send_distance_parameter(), out.distance_m, where);
  out.azimuth = curve_in(j, "azimuth", send_azimuth_parameter(), where);
  out.distance = curve_in(j, "distance", send_distance_parameter(), where);
  return out;
}

bool stands_in(const std::vector<Send>& sends, SpaceId space) {
  return std::ranges::any_of(sends, [&](const Send& s) { return s.space == space && s.place; });
}

}  // namespace

Send& add_send(std::vector<Send>& sends, Send send) {
  const auto at = std::ranges::lower_bound(sends, send.space, {}, &Send::space);
  return *sends.insert(at, std::move(send));
}

const Parameter& send_level_parameter() {
  static const Parameter p{.id = "level_db",
                           .label = "Send",
                           .unit = "dB",
                           .least = off_send_db,
                           .most = most_send_db,
                           .standard = -12,
                           .help = "How much of it enters the space.",
                           .off_at = off_send_db};
  return p;
}
const Parameter& send_azimuth_parameter() {
  static const Parameter& p = acoustics_parameter("azimuth_deg");
  return p;
}
const Parameter& send_distance_parameter() {
  static const Parameter& p = acoustics_parameter("distance_m");
  return p;
}

const ChainStep* placing_step(const Space& space) {
  const auto& steps = space.clip.chain.steps;
  const auto first = std::ranges::find_if(steps, &ChainStep::on);
  return first != steps.end() && is(*first, Role::place) ? &*first : nullptr;
}

bool has_own_places(const Reel& reel, const Space& space) {
  if (!placing_step(space)) return false;
  const auto stands = [&](const auto& feeder) { return stands_in(feeder.sends, space.id()); };
  return std::ranges::any_of(reel.groups, stands) || std::ranges::any_of(reel.clips, stands);
}

SendPlace common_place(const ChainStep& placing) {
  return {setting(placing, "azimuth_deg"), setting(placing, "elevation_deg"),
          setting(placing, "distance_m")};
}

ordered_json send_to_json(const Send& s) {
  ordered_json out{{"space", s.space}, {"level_db", s.level_db}};
  if (s.level) out["level"] = curve_to_json(*s.level, &send_level_parameter());
  if (s.place) out["place"] = place_to_json(*s.place);
  return out;
}

Send send_from_json(const json& j, const std::string& where) {
  only_members(j, {"space", "level_db", "level", "place"}, where);
  Send s{id_member<SpaceId>(j, "space", where), member(j, "level_db", 0.0, where)};
  if (!(s.level_db >= off_send_db && s.level_db <= most_send_db))
    throw wrong(where, fmt::format("what is sent is {} dB, allowed is {} to {} dB.", s.level_db,
                                   off_send_db, most_send_db));
  s.level = curve_in(j, "level", send_level_parameter(), where);
  if (j.contains("place")) s.place = place_from_json(j.at("place"), where);
  return s;
}

namespace edits {

namespace {

std::vector<Send>& sends_in(Reel& reel, Feeder from) {
  if (!from.of_clip()) return group_in(reel, from.group).sends;
  require_clip(from.clip, "feeds no space");
  return clip_in(reel, from.clip).sends;
}

std::string feeder_name(const Reel& reel, Feeder from) {
  return from.of_clip() ? reel.find(from.clip)->name : reel.at(from.group).name;
}

// The feeder's own send; one that its group has becomes its own, as it stands.
Send* own_send(Reel& reel, Feeder from, SpaceId space) {
  auto& sends = sends_in(reel, from);
  auto at = std::ranges::find(sends, space, &Send::space);
  if (at != sends.end()) return &*at;
  if (!from.of_clip()) return nullptr;
  for (const Send& s : sends_of(reel, *reel.find(from.clip)))
    if (s.space == space) return &add_send(sends, s);
  return nullptr;
}

const Space& space_in(const Reel& reel, SpaceId id) {
  const Space* space = find_space(reel, id);
  if (!space) throw impossible("That space is not in the reel any more; nothing was changed.");
  return *space;
}

}  // namespace

Edit draw_send(const Reel& reel, Feeder from, SpaceId space, std::optional<Curve> level) {
  Edit edit{.next = reel, .label = {}};
  const std::string name = space_in(reel, space).clip.name;
  if (level) require_curve(*level, send_level_parameter());
  Send* send = own_send(edit.next, from, space);
  if (!send) send = &add_send(sends_in(edit.next, from), {space, off_send_db});
  send->level = std::move(level);
  edit.label = fmt::format("{} into {} over time", feeder_name(reel, from), name);
  edit.merge = fmt::format("curve of send of {} {} to {}", from.clip, from.group, space);
  return edit;
}

Edit place_in_space(const Reel& reel, Feeder from, SpaceId space, std::optional<SendPlace> place) {
  Edit edit{.next = reel, .label = {}};
  const Space& of = space_in(reel, space);
  if (!placing_step(of))
    throw impossible(
        fmt::format("{} has no places: they are where Acoustics is the first step of its chain.",
                    of.clip.name));
  Send* send = own_send(edit.next, from, space);
  if (!send)
    throw impossible(
        fmt::format("{} feeds nothing into {}.", feeder_name(reel, from), of.clip.name));
  if (place) {
    const auto within = [](const Parameter& p, double& value, double standard) {
      value = std::isfinite(value) ? std::clamp(value, p.least, p.most) : standard;
    };
    within(send_azimuth_parameter(), place->azimuth_deg, 0);
    within(elevation_parameter(), place->elevation_deg, 0);
    within(send_distance_parameter(), place->distance_m, 2);
    if (place->azimuth) require_curve(*place->azimuth, send_azimuth_parameter());
    if (place->distance) require_curve(*place->distance, send_distance_parameter());
  }
  send->place = std::move(place);
  edit.label = fmt::format("{} stands in {}", feeder_name(reel, from), of.clip.name);
  edit.merge = fmt::format("place of {} {} in {}", from.clip, from.group, space);
  return edit;
}

}  // namespace edits
}  // namespace drevan
