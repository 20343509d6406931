#include <fmt/format.h>

#include "audio/error.h"
#include "audio/hash.h"
#include "reel/json_file.h"
#include "reel/reel.h"

namespace drevan {

namespace fs = std::filesystem;
using nlohmann::json;
using nlohmann::ordered_json;

namespace {

constexpr int newest_reel = 1;

// Relative where the source lies on the same tree, so that a moved folder is found again.
std::string stored_path(const fs::path& path, const fs::path& folder) {
  const auto relative = path.lexically_relative(fs::absolute(folder).lexically_normal());
  return relative.empty() ? path.generic_string() : relative.generic_string();
}

const json& list(const json& j, const char* key, const std::string& where) {
  static const json empty = json::array();
  const auto at = j.find(key);
  if (at == j.end()) return empty;
  if (!at->is_array())
    throw Error(Error::Kind::call, fmt::format("{}: \"{}\" must be a list.", where, key));
  for (const auto& item : *at)
    if (!item.is_object())
      throw Error(Error::Kind::call,
                  fmt::format("{}: \"{}\" must hold objects, not {}.", where, key, item.dump()));
  return *at;
}

Chain chain_member(const json& j, const std::string& where) {
  return j.contains("chain") ? chain_from_json(j.at("chain"), where) : Chain{};
}

Source source_from(const json& j, const fs::path& folder, const std::string& where) {
  Source s;
  const auto path = member<std::string>(j, "path", "", where);
  if (path.empty())
    throw Error(Error::Kind::call, fmt::format("{}: \"path\" is missing.", where));
  s.path = (folder / path).lexically_normal();
  s.frames = member<std::int64_t>(j, "frames", 0, where);
  s.rate = member(j, "rate_hz", 48000.0, where);
  s.channels = member(j, "channels", 1, where);
  s.hash = from_hex(member<std::string>(j, "hash", "", where));
  if (s.frames < 0 || !(s.rate >= 8000 && s.rate <= 384000) || s.channels < 1 ||
      s.channels > max_channels)
    throw Error(Error::Kind::call,
                fmt::format("{}: frames must be 0 or more, rate_hz 8000 to 384000, channels 1 to {}.",
                            where, max_channels));
  // A source that was moved next to the reel is taken from there.
  std::error_code error;
  const auto beside = folder / s.path.filename();
  if (!fs::exists(s.path, error) && fs::exists(beside, error)) s.path = beside.lexically_normal();
  return s;
}

Clip clip_from(const json& j, const Reel& reel, const std::string& where) {
  Clip c;
  c.id = member(j, "id", 0, where);
  c.name = member<std::string>(j, "name", "", where);
  c.source = member(j, "source", -1, where);
  c.group = member(j, "group", -1, where);
  c.begin = member<std::int64_t>(j, "begin", 0, where);
  c.place_s = member(j, "place_s", 0.0, where);
  const auto bad = [&](const char* what) {
    return Error(Error::Kind::call, fmt::format("{} ({}): {}", where, c.name, what));
  };
  if (c.id < 1 || reel.find(c.id)) throw bad("\"id\" must be 1 or more and its own.");
  if (c.source < 0 || c.source >= static_cast<int>(reel.sources.size()))
    throw bad("\"source\" must be the number of a source in this file, counted from 0.");
  if (c.group < 0 || c.group >= static_cast<int>(reel.groups.size()))
    throw bad("\"group\" must be the number of a group in this file, counted from 0.");
  const Samples length = reel.sources[static_cast<size_t>(c.source)].frames;
  c.frames = member<std::int64_t>(j, "frames", length - c.begin, where);
  if (c.begin < 0 || c.frames < 1 || c.begin + c.frames > length)
    throw bad("\"begin\" and \"frames\" must lie within the source.");
  if (j.contains("room_tone_s")) {
    const auto& r = j.at("room_tone_s");
    if (!r.is_array() || r.size() != 2 || !r[0].is_number() || !r[1].is_number() ||
        r[0].get<double>() < 0 || r[1].get<double>() <= r[0].get<double>())
      throw bad("\"room_tone_s\" must be [begin, end] in seconds.");
    c.room_tone = SecondsRange{r[0].get<double>(), r[1].get<double>()};
  }
  c.chain = chain_member(j, fmt::format("{} ({})", where, c.name));
  return c;
}

}  // namespace

std::string reel_to_text(const Reel& reel, const fs::path& folder) {
  ordered_json out{{"drevan_reel", newest_reel}, {"name", reel.name}, {"rate_hz", reel.rate}};
  out["sources"] = ordered_json::array();
  for (const auto& s : reel.sources)
    out["sources"].push_back({{"path", stored_path(s.path, folder)},
                              {"frames", s.frames},
                              {"rate_hz", s.rate},
                              {"channels", s.channels},
                              {"hash", to_hex(s.hash)}});
  out["groups"] = ordered_json::array();
  for (const auto& g : reel.groups)
    out["groups"].push_back({{"name", g.name}, {"chain", to_json(g.chain)}});
  out["clips"] = ordered_json::array();
  for (const auto& c : reel.clips) {
    ordered_json one{{"id", c.id},       {"name", c.name},     {"source", c.source},
                     {"begin", c.begin}, {"frames", c.frames}, {"group", c.group},
                     {"place_s", c.place_s}};
    if (c.room_tone) one["room_tone_s"] = {c.room_tone->begin, c.room_tone->end};
    one["chain"] = to_json(c.chain);
    out["clips"].push_back(std::move(one));
  }
  out["chain"] = to_json(reel.chain);
  return out.dump(1) + "\n";
}

Reel reel_from_text(const std::string& text, const fs::path& folder, const std::string& where) {
  const auto j = parse_json(text, where);
  check_version(j, "drevan_reel", newest_reel, where);
  Reel reel;
  reel.name = member<std::string>(j, "name", "", where);
  reel.rate = member(j, "rate_hz", 48000.0, where);
  if (!(reel.rate >= 8000 && reel.rate <= 384000))
    throw Error(Error::Kind::call, fmt::format("{}: rate_hz must be 8000 to 384000.", where));
  const auto base = fs::absolute(folder).lexically_normal();
  for (const auto& s : list(j, "sources", where))
    reel.sources.push_back(
        source_from(s, base, fmt::format("{}, source {}", where, reel.sources.size())));
  for (const auto& g : list(j, "groups", where)) {
    const auto here = fmt::format("{}, group {}", where, reel.groups.size());
    reel.groups.push_back({member<std::string>(g, "name", "", here), chain_member(g, here)});
  }
  for (const auto& c : list(j, "clips", where))
    reel.clips.push_back(clip_from(c, reel, fmt::format("{}, clip {}", where, reel.clips.size())));
  reel.chain = chain_member(j, where);
  return reel;
}

Reel load_reel(const fs::path& file) {
  Reel reel =
      reel_from_text(read_text(file), fs::absolute(file).parent_path(), file.string());
  if (reel.name.empty()) reel.name = file.stem().string();
  return reel;
}

void save_reel(const Reel& reel, const fs::path& file) {
  write_text(file, reel_to_text(reel, fs::absolute(file).parent_path()));
}

}  // namespace drevan
