// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <map>
#include <set>

#include "audio/error.h"
#include "audio/hash.h"
#include "reel/times/crossings.h"
#include "reel/files/json_file.h"
#include "reel/reel.h"
#include "reel/files/reel_json.h"
#include "reel/files/scene_json.h"
#include "reel/sides.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;
using nlohmann::ordered_json;

namespace {

// 2: steps have ids. 3: clips fade in and out and may be takes, a room tone may lie outside its
// clip, groups have notes and marks. 4: films, events, spaces and what is sent to them. 5: what is said in
// clips, how the reel is recorded, a reference. 6: crossfades of clips in a row, as fades of both.
// 7: who crosses whom is told by where clips lie; fades that were cut within. 8: groups and sources
// have ids, by which clips name them.
constexpr int newest_reel = 8, crossings_derived = 7, groups_named_by_id = 8;
constexpr Samples most_frames = Samples{1} << 50;
constexpr std::string_view mark_names[] = {"none",     "dot",     "ring",  "square",
                                           "triangle", "diamond", "cross", "bars"};

// With the paths of its files as they are stored.
ordered_json stored_chain(Chain chain, const fs::path& folder) {
  relate_files(chain, fs::absolute(folder).lexically_normal());
  return to_json(chain);
}

Chain chain_member(const json& j, const std::string& where) {
  return j.contains("chain") ? chain_from_json(j.at("chain"), where) : Chain{};
}

Source source_from(const json& j, const fs::path& folder, const std::string& where) {
  only_members(j, {"path", "path_bytes", "frames", "rate_hz", "channels", "hash", "id"}, where);
  Source s;
  s.path = path_from_json(j, folder, where);
  s.frames = member<std::int64_t>(j, "frames", 0, where);
  s.rate = member(j, "rate_hz", 48000.0, where);
  s.channels = member(j, "channels", 1, where);
  s.hash = from_hex(member<std::string>(j, "hash", "", where));
  if (s.frames < 0 || s.frames > most_frames || !(s.rate >= 8000 && s.rate <= 384000) ||
      s.channels < 1 || s.channels > max_channels)
    throw Error(Error::Kind::call,
                fmt::format("{}: frames must be 0 or more (and no more than a disk holds), rate_hz "
                            "8000 to 384000, channels 1 to {}.",
                            where, max_channels));
  return s;
}

std::optional<ClipRange> range_from(const json& j, const char* key, const std::string& where,
                                    double earliest_s = 0) {
  if (!j.contains(key)) return std::nullopt;
  const auto& r = j.at(key);
  if (!r.is_array() || r.size() != 2 || !r[0].is_number() || !r[1].is_number() ||
      !(r[0].get<double>() >= earliest_s) || !(r[1].get<double>() > r[0].get<double>()))
    throw wrong(where, fmt::format("\"{}\" must be [begin, end] in seconds.", key));
  return ClipRange{{r[0].get<double>()}, {r[1].get<double>()}};
}

// [seconds, shape] or [seconds, shape, gone]; nothing when there is no fade.
void fade_to_json(ordered_json& out, const char* key, const EdgeFade& fade) {
  if (!(fade.seconds > 0)) return;
  out[key] = {fade.seconds, fade.shape == CurveShape::smooth ? "smooth" : "line"};
  if (fade.gone_s > 0) out[key].push_back(fade.gone_s);
}

// Before version 7 a crossfade stood in the fades of both clips.
struct CrossedFade {
  double alike = 0, middle = middle_of_fade;
};
using CrossedFades = std::map<std::pair<ClipId, std::string>, CrossedFade>;  // by clip and key

// How groups and sources are named in a file. Before version 8: by their places from 0; those get
// the ids from 1.
struct Naming {
  bool by_place = false;
  // What `key` names; the reel has it.
  template <class OfKind>
  OfKind named(const json& j, const char* key, const Reel& reel, const std::string& where) const {
    const int number = member(j, key, by_place ? -1 : 0, where);
    const bool far = number < 0 || number >= most_id;
    const auto id = OfKind::numbered(far ? 0 : by_place ? number + 1 : number);
    if (!id || !reel.find(id))
      throw wrong(where, fmt::format("\"{0}\" must be {1} of a {0} in this file{2}.", key,
                                     by_place ? "the number" : "the id",
                                     by_place ? ", counted from 0" : ""));
    return id;
  }
  // Of a group or source that comes behind `count` others.
  template <class OfKind>
  OfKind own(const json& j, const Reel& reel, size_t count, const std::string& where) const {
    if (by_place) return OfKind::numbered(static_cast<int>(count) + 1);
    const int id = member(j, "id", 0, where);
    if (id < 1 || id > most_id || reel.find(OfKind::numbered(id)))
      throw wrong(where, fmt::format("\"id\" must be 1 to {} and its own.", most_id));
    return OfKind::numbered(id);
  }
};

EdgeFade fade_from(const json& j, const char* key, const std::string& where,
                   std::optional<CrossedFade>* crossed = nullptr) {
  if (!j.contains(key)) return {};
  const auto& f = j.at(key);
  const auto number = [&](size_t i, double least, double most) {
    return f[i].is_number() && f[i].get<double>() >= least && f[i].get<double>() <= most;
  };
  const bool was_crossed = f.is_array() && f.size() == 4 && f[1] == "crossed" && number(2, -1, 1) &&
                           number(3, least_middle, most_middle);
  const bool plain =
      f.is_array() && (f.size() == 2 || f.size() == 3) && (f[1] == "line" || f[1] == "smooth");
  const bool right = (was_crossed || plain) && number(0, 0, longest_fade_s) &&
                     f[0].get<double>() > 0 && (f.size() != 3 || number(2, 0, f[0].get<double>()));
  if (!right)
    throw wrong(where, fmt::format("\"{}\" must be [seconds, \"line\" or \"smooth\"], with what of "
                                   "it lies outside of the clip behind it, at most {:.0f} s.",
                                   key, longest_fade_s));
  if (was_crossed) {
    if (crossed) *crossed = {f[2].get<double>(), f[3].get<double>()};
    return {};
  }
  return {f[0].get<double>(), f[1] == "smooth" ? CurveShape::smooth : CurveShape::line,
          f.size() == 3 ? f[2].get<double>() : 0};
}

Group group_from(const json& j, const std::string& where) {
  only_members(j,
               {"name", "chain", "room_tone_clip", "sits_out", "note", "mark", "kind", "sends",
                "direct", "id"},
               where);
  Group g{member<std::string>(j, "name", "", where), chain_member(j, where),
          id_member<ClipId>(j, "room_tone_clip", where)};
  if (j.contains("sits_out")) g.sits_out = ids_from_json(j.at("sits_out"), where);
  g.note = member<std::string>(j, "note", "", where);
  const auto mark = member<std::string>(j, "mark", "none", where);
  const auto known = std::ranges::find(mark_names, mark);
  if (known == std::end(mark_names))
    throw Error(Error::Kind::call, fmt::format("{}: there is no mark {}; there are {}.", where,
                                               shown(json(mark)), fmt::join(mark_names, ", ")));
  g.mark = static_cast<GroupMark>(known - std::begin(mark_names));
  g.kind = group_kind_from_json(j, where);
  feeds_from_json(j, g.sends, g.direct, where);
  return g;
}

// The range of a source that a clip or a version is.
template <class T>
void source_range_from(const json& j, const Reel& reel, Naming naming, T& out,
                       const std::string& where) {
  out.source = naming.named<SourceId>(j, "source", reel, where);
  out.begin = member<std::int64_t>(j, "begin", 0, where);
  const Samples length = reel.at(out.source).frames;
  if (out.begin < 0 || out.begin >= length)
    throw wrong(where, "\"begin\" and \"frames\" must lie within the source.");
  out.frames = member<std::int64_t>(j, "frames", length - out.begin, where);
  if (out.frames < 1 || out.frames > length - out.begin)
    throw wrong(where, "\"begin\" and \"frames\" must lie within the source.");
}

ordered_json to_json(const Version& v) {
  ordered_json one{{"id", v.id},
                   {"what", v.what},
                   {"source", v.source},
                   {"begin", v.begin},
                   {"frames", v.frames}};
  if (v.parent >= 0) one["parent"] = v.parent;
  if (v.when != 0) one["when"] = v.when;
  fade_to_json(one, "fade_in", v.fade_in);
  fade_to_json(one, "fade_out", v.fade_out);
  if (v.range) one["range_s"] = {v.range->begin.s, v.range->end.s};
  if (v.loudness_lufs) one["loudness_lufs"] = *v.loudness_lufs;
  if (v.peak_dbfs) one["peak_dbfs"] = *v.peak_dbfs;
  if (!v.made_with.steps.empty()) one["made_with"] = to_json(v.made_with);
  if (!v.top.steps.empty()) one["top"] = to_json(v.top);
  return one;
}

Version version_from(const json& j, const Reel& reel, Naming naming, const Clip& clip,
                     const std::string& where) {
  only_members(j,
               {"id", "parent", "what", "when", "source", "begin", "frames", "fade_in", "fade_out",
                "range_s", "loudness_lufs", "peak_dbfs", "made_with", "top"},
               where);
  Version v;
  v.id = member(j, "id", -1, where);
  v.parent = member(j, "parent", -1, where);
  // Parents come first, so that no version can be its own grandparent.
  if (v.id < 0 || find_version(clip, v.id) || (v.parent >= 0 && !find_version(clip, v.parent)) ||
      (v.id == 0) != (v.parent < 0))
    throw wrong(where, "\"id\" must be its own and \"parent\" the id of a version before it.");
  v.what = member<std::string>(j, "what", "", where);
  v.when = member<std::int64_t>(j, "when", 0, where);
  source_range_from(j, reel, naming, v, where);
  v.fade_in = fade_from(j, "fade_in", where);
  v.fade_out = fade_from(j, "fade_out", where);
  v.range = range_from(j, "range_s", where);
  if (j.contains("loudness_lufs")) v.loudness_lufs = member(j, "loudness_lufs", 0.0, where);
  if (j.contains("peak_dbfs")) v.peak_dbfs = member(j, "peak_dbfs", 0.0, where);
  if (j.contains("made_with")) v.made_with = chain_from_json(j.at("made_with"), where);
  if (j.contains("top")) v.top = chain_from_json(j.at("top"), where);
  return v;
}

Clip clip_from(const json& j, const Reel& reel, Naming naming, CrossedFades& crossed,
               const std::string& where) {
  only_members(j, {"id",          "name",    "source",   "begin",    "frames", "group", "place_s",
                   "room_tone_s", "fade_in", "fade_out", "line",     "chosen", "text",  "made_into",
                   "layered",     "chain",   "version",  "versions", "sends",  "direct"},
               where);
  Clip c;
  c.id = id_member<ClipId>(j, "id", where);
  c.name = member<std::string>(j, "name", "", where);
  c.place = {member(j, "place_s", 0.0, where)};
  const auto here = fmt::format("{} ({})", where, c.name);
  const auto bad = [&](const char* what) { return wrong(here, what); };
  if (c.id.number() < 1 || c.id.number() > most_id || reel.find(c.id))
    throw bad("\"id\" must be 1 or more, at most 1000000000, and its own.");
  c.group = naming.named<GroupId>(j, "group", reel, here);
  if (!(c.place.s >= 0 && c.place.s <= latest_place_s))
    throw bad(fmt::format("\"place_s\" is {}, allowed is 0 to {:.0f} s.", c.place.s, latest_place_s)
                  .c_str());
  source_range_from(j, reel, naming, c, here);
  c.line = member(j, "line", 0, here);
  if (c.line < 0 || c.line > most_id) throw bad("\"line\" must be 0 to 1000000000.");
  c.chosen = member(j, "chosen", true, here);
  c.text = member<std::string>(j, "text", "", here);
  c.made_into = id_member<ClipId>(j, "made_into", here);
  if (c.made_into.number() < 0 || c.made_into.number() > most_id || c.made_into == c.id)
    throw bad("\"made_into\" must be another clip's id.");
  c.layered = member(j, "layered", false, here);
  // It may lie before the clip, not before its source.
  const double before_s = static_cast<double>(c.begin) / reel.source_of(c).rate;
  c.room_tone = range_from(j, "room_tone_s", here, -before_s - 1e-6);
  const auto fade = [&](const char* key) {
    std::optional<CrossedFade> was;
    const EdgeFade own = fade_from(j, key, here, &was);
    if (was) crossed[{c.id, key}] = *was;
    return own;
  };
  c.fade_in = fade("fade_in");
  c.fade_out = fade("fade_out");
  for (const auto& v : objects_in(j, "versions", here))
    c.versions.push_back(
        version_from(v, reel, naming, c, fmt::format("{}, version {}", here, c.versions.size())));
  c.version = member(j, "version", 0, here);
  if (c.version != 0 && !find_version(c, c.version))
    throw bad("\"version\" must be the id of one of its versions.");
  c.chain = chain_member(j, fmt::format("{} ({})", where, c.name));
  feeds_from_json(j, c.sends, c.direct, here);
  return c;
}

// Crossfades as they stood in the fades of both clips, or not at all: then clips were summed as they
// lay on each other.
void take_old_crossings(Reel& reel, const CrossedFades& crossed) {
  const auto fade_at = [&](ClipId clip, const char* key) {
    const auto at = crossed.find({clip, key});
    return at == crossed.end() ? nullptr : &at->second;
  };
  const Crossings found(reel);
  for (const Crossing& c : found.all()) {
    const CrossedFade* in = fade_at(c.after, "fade_in");
    if (in && fade_at(c.before, "fade_out"))
      put_crossfade(reel, {c.before, c.after, in->alike, in->middle});
  }
  edits::keep_as_layered(reel, [&](ClipId before, ClipId after) {
    return find_crossfade(reel, before, after) != nullptr;
  });
}

// An edit of one of two steps would be made to the other.
void check_step_ids(Reel& reel, const std::string& where) {
  std::set<StepId> taken;
  for (const auto* chain : live_chains(reel))
    for (const auto& step : chain->steps)
      if (step.id != 0 && !taken.insert(step.id).second)
        throw Error(
            Error::Kind::call,
            fmt::format(
                "{}: two steps have the id {}; give one of them another, or take its \"id\" out.",
                where, step.id));
}

}  // namespace

ordered_json source_to_json(const Source& s, const fs::path& folder) {
  ordered_json one{{"id", s.id}};
  path_to_json(one, s.path, folder);
  one["frames"] = s.frames;
  one["rate_hz"] = s.rate;
  one["channels"] = s.channels;
  one["hash"] = to_hex(s.hash);
  return one;
}

ordered_json group_to_json(const Group& g, const fs::path& folder) {
  ordered_json one{{"id", g.id}, {"name", g.name}, {"chain", stored_chain(g.chain, folder)}};
  if (g.room_tone_clip != 0) one["room_tone_clip"] = g.room_tone_clip;
  if (!g.sits_out.empty()) one["sits_out"] = g.sits_out;
  if (!g.note.empty()) one["note"] = g.note;
  if (g.mark != GroupMark::none) one["mark"] = std::string(mark_names[static_cast<size_t>(g.mark)]);
  if (g.kind != GroupKind::dialogue) one["kind"] = std::string(group_kind_name(g.kind));
  feeds_to_json(one, g.sends, g.direct);
  return one;
}

ordered_json clip_to_json(const Clip& c, const fs::path& folder) {
  ordered_json one{{"id", c.id},          {"name", c.name},     {"source", c.source},
                   {"begin", c.begin},    {"frames", c.frames}, {"group", c.group},
                   {"place_s", c.place.s}};
  if (c.room_tone) one["room_tone_s"] = {c.room_tone->begin.s, c.room_tone->end.s};
  if (c.line != 0) one["line"] = c.line;
  if (!c.chosen) one["chosen"] = false;
  if (!c.text.empty()) one["text"] = c.text;
  if (c.made_into != 0) one["made_into"] = c.made_into;
  if (c.layered) one["layered"] = true;
  fade_to_json(one, "fade_in", c.fade_in);
  fade_to_json(one, "fade_out", c.fade_out);
  one["chain"] = stored_chain(c.chain, folder);
  feeds_to_json(one, c.sends, c.direct);
  if (c.version != 0) one["version"] = c.version;
  for (const auto& v : c.versions) one["versions"].push_back(to_json(v));
  return one;
}

ordered_json reel_to_json(const Reel& reel, const fs::path& folder) {
  ordered_json out{{"drevan_reel", newest_reel}, {"name", reel.name}, {"rate_hz", reel.rate}};
  if (!reel.target.empty()) out["target"] = reel.target;
  if (reel.last_clip_id != 0) out["last_clip_id"] = reel.last_clip_id;
  if (reel.last_step_id != 0) out["last_step_id"] = reel.last_step_id;
  if (reel.last_group_id != 0) out["last_group_id"] = reel.last_group_id;
  if (reel.last_source_id != 0) out["last_source_id"] = reel.last_source_id;
  out["sources"] = out["groups"] = out["clips"] = ordered_json::array();
  for (const auto& s : reel.sources) out["sources"].push_back(source_to_json(s, folder));
  for (const auto& g : reel.groups) out["groups"].push_back(group_to_json(g, folder));
  for (const auto& c : reel.clips) out["clips"].push_back(clip_to_json(c, folder));
  out["chain"] = stored_chain(reel.chain, folder);
  if (!reel.mix.chain.steps.empty()) out["mix_chain"] = stored_chain(reel.mix.chain, folder);
  scene_to_json(out, reel, folder);
  return out;
}

std::string reel_to_text(const Reel& reel, const fs::path& folder) {
  return dump_json(reel_to_json(reel, folder), 1);
}

Reel reel_from_text(const std::string& text, const fs::path& folder, const std::string& where) {
  const auto j = parse_json(text, where);
  check_version(j, "drevan_reel", newest_reel, where);
  only_members(j, {"drevan_reel",  "name",          "rate_hz",        "target",    "last_clip_id",
                   "last_step_id", "last_group_id", "last_source_id", "sources",   "groups",
                   "clips",        "chain",         "mix_chain",      "films",     "events",
                   "spaces",       "last_space_id", "recording",      "reference", "crossfades",
                   "last_event_id"},
               where);
  Reel reel;
  reel.name = member<std::string>(j, "name", "", where);
  reel.rate = member(j, "rate_hz", 48000.0, where);
  if (!(reel.rate >= 8000 && reel.rate <= 384000))
    throw wrong(where, "rate_hz must be 8000 to 384000.");
  const auto base = fs::absolute(folder).lexically_normal();
  const Naming naming{member(j, "drevan_reel", newest_reel, where) < groups_named_by_id};
  const auto highest = [&](auto& last, const char* key, const auto& all) {
    last = last.numbered(std::clamp(member(j, key, 0, where), 0, most_id));
    for (const auto& one : all) last = std::max(last, one.id);
  };
  for (const auto& s : objects_in(j, "sources", where)) {
    const auto here = fmt::format("{}, source {}", where, reel.sources.size());
    Source source = source_from(s, base, here);
    source.id = naming.own<SourceId>(s, reel, reel.sources.size(), here);
    reel.sources.push_back(source);
  }
  for (const auto& g : objects_in(j, "groups", where)) {
    const auto here = fmt::format("{}, group {}", where, reel.groups.size());
    Group group = group_from(g, here);
    group.id = naming.own<GroupId>(g, reel, reel.groups.size(), here);
    reel.groups.push_back(group);
  }
  highest(reel.last_source_id, "last_source_id", reel.sources);
  highest(reel.last_group_id, "last_group_id", reel.groups);
  CrossedFades crossed;
  for (const auto& c : objects_in(j, "clips", where))
    reel.clips.push_back(
        clip_from(c, reel, naming, crossed, fmt::format("{}, clip {}", where, reel.clips.size())));
  forget_lost_lenders(reel);
  reel.chain = chain_member(j, where);
  if (j.contains("mix_chain"))
    reel.mix.chain = chain_from_json(j.at("mix_chain"), where + ", the mix");
  scene_from_json(j, reel, base, where);
  check_sends(reel, where);
  reel.target = member<std::string>(j, "target", "", where);
  highest(reel.last_clip_id, "last_clip_id", reel.clips);
  reel.last_step_id = StepId::numbered(std::clamp(member(j, "last_step_id", 0, where), 0, most_id));
  change_chains(
      reel, [](const Chain& chain) { return !chain.steps.empty(); },
      [&](Chain& chain) { resolve_files(chain, base); });
  require_no_rings(reel);
  check_step_ids(reel, where);
  settle_step_ids(reel);
  if (member(j, "drevan_reel", newest_reel, where) < crossings_derived)
    take_old_crossings(reel, crossed);
  return reel;
}

Reel load_reel(const fs::path& file) {
  Reel reel = reel_from_text(read_text(file), fs::absolute(file).parent_path(), file.string());
  if (reel.name.empty()) reel.name = file.stem().string();
  return reel;
}

void save_reel(const Reel& reel, const fs::path& file) {
  const auto folder = fs::absolute(file).parent_path();
  const auto text = reel_to_text(reel, folder);
  // Whatever went wrong before: the file on the disk is not given up for one that cannot be opened.
  reel_from_text(text, folder,
                 fmt::format("{} would not open again, so it was not saved", file.string()));
  write_text(file, text);
}

}  // namespace drevan
