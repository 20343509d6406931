// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/files/scene_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/times/crossings.h"
#include "reel/files/json_file.h"
#include "reel/scene/sends.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;
using nlohmann::ordered_json;

namespace {

constexpr std::array<std::string_view, 3> kind_names{"dialogue", "effects", "music"};

ReelTime moment_from(const json& j, const char* key, const std::string& where) {
  const double s = member(j, key, 0.0, where);
  if (!(s >= 0 && s <= latest_place_s))
    throw wrong(where,
                fmt::format("\"{}\" is {}, allowed is 0 to {:.0f} s.", key, s, latest_place_s));
  return {s};
}

Space space_from(const json& j, const Reel& reel, const std::string& where) {
  only_members(j, {"id", "name", "chain", "level_db"}, where);
  Space space;
  space.clip.id = id_member<ClipId>(j, "id", where);
  space.clip.name = member<std::string>(j, "name", "", where);
  space.level_db = member(j, "level_db", 0.0, where);
  if (space.clip.id >= mix_clip_id || space.clip.id.number() < -most_id ||
      find_space(reel, space.id()))
    throw wrong(where, "\"id\" must be -2 or less and its own.");
  if (!(space.level_db >= least_space_db && space.level_db <= most_space_db))
    throw wrong(where, fmt::format("\"level_db\" is {}, allowed is {} to {} dB.", space.level_db,
                                   least_space_db, most_space_db));
  if (j.contains("chain")) space.clip.chain = chain_from_json(j.at("chain"), where);
  return space;
}

ordered_json recording_to(const RecordingFormat& format, const fs::path& folder) {
  ordered_json out = ordered_json::object();
  if (format.floating) out["floating"] = true;
  if (format.stereo) out["stereo"] = true;
  if (!format.folder.empty()) path_to_json(out["folder"], format.folder, folder);
  return out;
}

// A member that is an object with a path.
fs::path path_in(const json& j, const char* key, const fs::path& folder, const std::string& where) {
  if (!j.contains(key)) return {};
  const auto here = fmt::format("{}, \"{}\"", where, key);
  if (!j.at(key).is_object()) throw wrong(here, "it must be an object with a \"path\".");
  only_members(j.at(key), {"path", "path_bytes"}, here);
  return path_from_json(j.at(key), folder, here);
}

RecordingFormat recording_from(const json& j, const fs::path& folder, const std::string& where) {
  if (!j.contains("recording")) return {};
  const json& one = j.at("recording");
  const auto here = where + ", \"recording\"";
  if (!one.is_object()) throw wrong(here, "it must be an object.");
  only_members(one, {"floating", "stereo", "folder"}, here);
  return {member(one, "floating", false, here), member(one, "stereo", false, here),
          path_in(one, "folder", folder, here)};
}

}  // namespace

const json& objects_in(const json& j, const char* key, const std::string& where) {
  static const json empty = json::array();
  const auto at = j.find(key);
  if (at == j.end()) return empty;
  if (!at->is_array()) throw wrong(where, fmt::format("\"{}\" must be a list.", key));
  for (const auto& item : *at)
    if (!item.is_object())
      throw wrong(where, fmt::format("\"{}\" must hold objects, not {}.", key, shown(item)));
  return *at;
}

void path_to_json(ordered_json& out, const fs::path& path, const fs::path& folder) {
  const auto relative = path.lexically_relative(fs::absolute(folder).lexically_normal());
  const std::string stored = relative.empty() ? path.generic_string() : relative.generic_string();
  out["path"] = to_utf8(stored);
  if (!is_utf8(stored)) out["path_bytes"] = to_hex_bytes(stored);
}

fs::path path_from_json(const json& j, const fs::path& folder, const std::string& where) {
  const auto bytes = from_hex_bytes(member<std::string>(j, "path_bytes", "", where));
  const auto stored = bytes.empty() ? member<std::string>(j, "path", "", where) : bytes;
  if (stored.empty() || stored.find('\0') != std::string::npos)
    throw wrong(where, "\"path\" is missing.");
  const fs::path path = (folder / stored).lexically_normal();
  std::error_code error;
  const auto beside = folder / path.filename();
  const bool moved = !fs::exists(path, error) && fs::exists(beside, error);
  return moved ? beside.lexically_normal() : path;
}

std::string_view group_kind_name(GroupKind kind) { return kind_names[static_cast<size_t>(kind)]; }

GroupKind group_kind_from_json(const json& j, const std::string& where) {
  const auto name = member<std::string>(j, "kind", std::string(kind_names[0]), where);
  const auto known = std::ranges::find(kind_names, name);
  if (known == kind_names.end())
    throw wrong(where, fmt::format("there is no kind {}; there are {}.", shown(json(name)),
                                   fmt::join(kind_names, ", ")));
  return static_cast<GroupKind>(known - kind_names.begin());
}

void feeds_to_json(ordered_json& out, const std::vector<Send>& sends, bool direct) {
  for (const Send& s : sends) out["sends"].push_back(send_to_json(s));
  if (!direct) out["direct"] = false;
}

void feeds_from_json(const json& j, std::vector<Send>& sends, bool& direct,
                     const std::string& where) {
  direct = member(j, "direct", true, where);
  for (const auto& one : objects_in(j, "sends", where)) {
    Send s = send_from_json(one, where);
    if (std::ranges::find(sends, s.space, &Send::space) != sends.end())
      throw wrong(where, fmt::format("\"sends\" names the space {} twice.", s.space));
    add_send(sends, std::move(s));
  }
}

void check_sends(const Reel& reel, const std::string& where) {
  const auto check = [&](const std::vector<Send>& sends, const std::string& name) {
    for (const Send& s : sends)
      if (!find_space(reel, s.space))
        throw wrong(where,
                    fmt::format("{} sends to the space {}, which is not there.", name, s.space));
  };
  for (const auto& g : reel.groups) check(g.sends, g.name);
  for (const auto& c : reel.clips) check(c.sends, c.name);
}

ordered_json crossfade_to_json(const Crossfade& c) {
  return {{"before", c.before}, {"after", c.after}, {"alike", c.alike}, {"middle", c.middle}};
}
ordered_json event_to_json(const Event& e) {
  return {{"s", e.at.s}, {"name", e.name}, {"id", e.id}};
}

void scene_to_json(ordered_json& out, const Reel& reel, const fs::path& folder) {
  for (const auto& film : reel.films) {
    ordered_json one;
    path_to_json(one, film.path, folder);
    one["place_s"] = film.place.s;
    out["films"].push_back(std::move(one));
  }
  for (const Crossfade& c : reel.crossfades) out["crossfades"].push_back(crossfade_to_json(c));
  for (const Event& e : reel.events) out["events"].push_back(event_to_json(e));
  if (reel.last_event_id != 0) out["last_event_id"] = reel.last_event_id;
  if (reel.recording != RecordingFormat{}) out["recording"] = recording_to(reel.recording, folder);
  if (!reel.reference.empty()) path_to_json(out["reference"], reel.reference, folder);
  if (clip_of(reel.last_space_id) < mix_clip_id) out["last_space_id"] = reel.last_space_id;
  const auto base = fs::absolute(folder).lexically_normal();
  for (const auto& space : reel.spaces) {
    Chain chain = space.clip.chain;
    relate_files(chain, base);
    out["spaces"].push_back(ordered_json{{"id", space.clip.id},
                                         {"name", space.clip.name},
                                         {"level_db", space.level_db},
                                         {"chain", to_json(chain)}});
  }
}

void scene_from_json(const json& j, Reel& reel, const fs::path& folder, const std::string& where) {
  for (const auto& one : objects_in(j, "films", where)) {
    const auto here = fmt::format("{}, film {}", where, reel.films.size());
    only_members(one, {"path", "path_bytes", "place_s"}, here);
    reel.films.push_back({path_from_json(one, folder, here), moment_from(one, "place_s", here)});
  }
  for (const auto& one : objects_in(j, "crossfades", where)) {
    const auto here = fmt::format("{}, crossfade {}", where, reel.crossfades.size());
    only_members(one, {"before", "after", "alike", "middle"}, here);
    const Crossfade c{id_member<ClipId>(one, "before", here), id_member<ClipId>(one, "after", here),
                      member(one, "alike", 0.0, here), member(one, "middle", middle_of_fade, here)};
    if (!(std::abs(c.alike) <= 1 && c.middle >= least_middle && c.middle <= most_middle))
      throw wrong(here, fmt::format("\"alike\" must be -1 to 1, \"middle\" {} to {}.", least_middle,
                                    most_middle));
    // Of a clip that is not there it says nothing.
    if (!is_bus(c.before) && !is_bus(c.after) && reel.find(c.before) && reel.find(c.after))
      put_crossfade(reel, c);
  }
  for (const auto& one : objects_in(j, "events", where)) {
    const auto here = fmt::format("{}, event {}", where, reel.events.size());
    only_members(one, {"s", "name", "id"}, here);
    Event event{moment_from(one, "s", here), member<std::string>(one, "name", "", here),
                id_member<EventId>(one, "id", here)};
    if (event.id.number() < 0 || event.id.number() > most_id ||
        (event.id != 0 && find_event(reel, event.id)))
      throw wrong(here, fmt::format("\"id\" must be 1 to {} and its own.", most_id));
    reel.events.push_back(std::move(event));
  }
  reel.last_event_id =
      EventId::numbered(std::clamp(member(j, "last_event_id", 0, where), 0, most_id));
  for (const Event& e : reel.events) reel.last_event_id = std::max(reel.last_event_id, e.id);
  // Before version 7 they had none.
  reel.events.change_where([](const Event& e) { return e.id == 0; },
                           [&](Event& e) { e.id = new_event_id(reel); });
  for (const auto& one : objects_in(j, "spaces", where))
    reel.spaces.push_back(
        space_from(one, reel, fmt::format("{}, space {}", where, reel.spaces.size())));
  reel.films.stable_sort(std::less{}, &Film::place);
  reel.events.stable_sort(std::less{}, &Event::at);
  reel.recording = recording_from(j, folder, where);
  reel.reference = path_in(j, "reference", folder, where);
  const int none = mix_clip_id.number();
  reel.last_space_id =
      SpaceId::numbered(std::clamp(member(j, "last_space_id", none, where), -most_id, none));
  for (const auto& space : reel.spaces)
    reel.last_space_id = std::min(reel.last_space_id, space.id());
}

}  // namespace drevan
