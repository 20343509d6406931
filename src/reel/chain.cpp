// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/chain.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "reel/files/value_json.h"
#include "steps/catalogue.h"

namespace drevan {

namespace {

constexpr int newest_recipe = 2;  // 2: curves, sides, words and files

std::string known_ids(const StepType& type) {
  std::vector<std::string_view> ids;
  for (const auto& p : type.parameters) ids.push_back(p.id);
  for (const auto& p : type.texts) ids.push_back(p.id);
  return fmt::format("{}", fmt::join(ids, ", "));
}

nlohmann::ordered_json sides_to_json(const std::vector<SideChoice>& sides, const StepType& type) {
  auto out = nlohmann::ordered_json::object();
  for (size_t i = 0; i < sides.size(); ++i) {
    const SideChoice& side = sides[i];
    auto& one = out[std::string(type.sides[i].id)];
    if (side.from == SideChoice::From::file) {
      one = {{"file", to_utf8(side.file.string())}};
      if (!is_utf8(side.file.string())) one["file_bytes"] = to_hex_bytes(side.file.string());
    }
    if (side.from == SideChoice::From::clip) {
      one = {{"clip", side.name}};
      if (side.clip != 0) one["id"] = side.clip;
    }
    if (side.from == SideChoice::From::nothing) out.erase(std::string(type.sides[i].id));
  }
  return out;
}

std::vector<SideChoice> sides_from_json(const nlohmann::json& json, const StepType& type,
                                        const std::string& where) {
  if (!json.is_object()) throw wrong(where, "must be an object of what is heard beside.");
  std::vector<SideChoice> out(type.sides.size());
  for (const auto& [name, value] : json.items()) {
    const auto at = std::ranges::find(type.sides, name, &SideInput::id);
    if (at == type.sides.end())
      throw wrong(where, fmt::format("this step hears no {} beside its own sound.", shown(name)));
    const auto here = fmt::format("{}, {}", where, name);
    only_members(value, {"clip", "id", "file", "file_bytes"}, here);
    if (value.contains("file") == value.contains("clip"))
      throw wrong(here, "must have a \"file\" or a \"clip\".");
    SideChoice& side = out[static_cast<size_t>(at - type.sides.begin())];
    side.from = value.contains("file") ? SideChoice::From::file : SideChoice::From::clip;
    const auto bytes = from_hex_bytes(member<std::string>(value, "file_bytes", "", here));
    side.file = bytes.empty() ? member<std::string>(value, "file", "", here) : bytes;
    side.name = member<std::string>(value, "clip", "", here);
    side.clip = id_member<ClipId>(value, "id", here);
    if (side.clip.number() < 0 || side.clip.number() > most_id ||
        (side.from == SideChoice::From::file && side.file.empty()))
      throw wrong(here, "names nothing that can be heard.");
  }
  return out;
}

ChainStep step_from_json(const nlohmann::json& json, const std::string& where) {
  if (!json.is_object() || !json.contains("step") || !json.at("step").is_string())
    throw wrong(where, "a step must look like { \"step\": \"gain\", \"settings\": { ... } }.");
  const auto id = json.at("step").get<std::string>();
  const StepType* type = find_step(id);
  if (!type) {
    std::string ids;
    for (const auto* t : catalogue()) ids += (ids.empty() ? "" : ", ") + std::string(t->id);
    throw wrong(where,
                fmt::format("there is no step {}; there are {}.", shown(json.at("step")), ids));
  }
  const std::string here = fmt::format("{} ({})", where, id);
  ChainStep step{type, standard_settings(*type)};
  for (const auto& [key, value] : json.items()) {
    if (key == "step") continue;
    if (key == "on") {
      step.on = member(json, "on", true, here);
    } else if (key == "settings" && value.is_object()) {
      for (const auto& [name, v] : value.items()) {
        const int i = parameter_index(*type, name);
        if (const int t = text_index(*type, name); t >= 0) {
          step.settings.texts[static_cast<size_t>(t)] =
              text_from_json(type->texts[static_cast<size_t>(t)], v, here);
          continue;
        }
        if (i < 0)
          throw wrong(here, fmt::format("there is no setting {}; there are {}.", shown(name),
                                        known_ids(*type)));
        step.settings.values[static_cast<size_t>(i)] =
            value_from_json(type->parameters[static_cast<size_t>(i)], v, here);
      }
    } else if (key == "curves") {
      step.curves = curves_from_json(value, *type, fmt::format("{}, curves", here));
    } else if (key == "id") {
      step.id = StepId::numbered(member(json, "id", 0, here));
      if (step.id.number() < 1 || step.id.number() > most_id)
        throw wrong(here, fmt::format("\"id\" is {}, allowed is 1 to {}.", shown(value), most_id));
    } else if (key == "sides") {
      step.sides = sides_from_json(value, *type, fmt::format("{}, sides", here));
    } else if (key == "sits_out") {
      step.sits_out = ids_from_json(value, fmt::format("{}, sits_out", here));
    } else {
      throw wrong(here, fmt::format("{} does not belong here; a step has \"step\", \"settings\", "
                                    "\"curves\", \"sides\" and \"on\".",
                                    shown(key)));
    }
  }
  return step;
}

}  // namespace

std::vector<ClipId> ids_from_json(const nlohmann::json& json, const std::string& where) {
  std::vector<ClipId> ids;
  if (!json.is_array()) throw wrong(where, "must be a list of clips' ids.");
  for (const auto& id : json) {
    if (!id.is_number_integer() || id.get<std::int64_t>() < 1 || id.get<std::int64_t>() > most_id)
      throw wrong(where, fmt::format("{} is not the id of a clip.", shown(id)));
    ids.push_back(ClipId::numbered(id.get<int>()));
  }
  std::ranges::sort(ids);
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  return ids;
}

Chain for_everyone(Chain chain) {
  for (auto& step : chain.steps) {
    step.sits_out.clear();
    step.id = 0;
    for (auto& side : step.sides) side.clip = 0;  // its name stays
  }
  return chain;
}

bool hears_sides(const ChainStep& step) {
  return std::ranges::any_of(
      step.sides, [](const SideChoice& s) { return s.from != SideChoice::From::nothing; });
}

void change_files(
    Chain& chain,
    const std::function<std::filesystem::path(const std::filesystem::path&)>& change) {
  for (auto& step : chain.steps) {
    for (auto& side : step.sides)
      if (side.from == SideChoice::From::file) side.file = change(side.file);
    for (size_t i = 0; i < step.settings.texts.size(); ++i)
      if (auto& text = step.settings.texts[i]; step.type->texts[i].is_file() && !text.empty())
        text = change(text).string();
  }
}

void resolve_files(Chain& chain, const std::filesystem::path& folder) {
  change_files(chain, [&](const auto& file) { return (folder / file).lexically_normal(); });
}

void relate_files(Chain& chain, const std::filesystem::path& folder) {
  change_files(chain, [&](const auto& file) {
    const auto relative = file.lexically_relative(folder);
    return relative.empty() ? file : relative;
  });
}

void shift_curves(ChainStep& step, double by_s) {
  for (auto& track : step.curves)
    track.curve = std::make_shared<const Curve>(shifted(*track.curve, by_s));
}

ChainStep make_step(std::string_view id) {
  const StepType* type = find_step(id);
  if (!type) throw Error(Error::Kind::call, fmt::format("There is no step \"{}\".", id));
  return {type, standard_settings(*type)};
}

ChainStep make_step(Role role) {
  const StepType& type = step_for(role);
  return {&type, standard_settings(type)};
}

double setting(const ChainStep& step, std::string_view id) {
  return step.settings[static_cast<size_t>(parameter_at(*step.type, id))];
}

double& setting(ChainStep& step, std::string_view id) {
  return step.settings.values[static_cast<size_t>(parameter_at(*step.type, id))];
}

nlohmann::ordered_json to_json(const Chain& chain) {
  auto out = nlohmann::ordered_json::array();
  for (const auto& step : chain.steps) {
    nlohmann::ordered_json settings = nlohmann::ordered_json::object();
    for (size_t i = 0; i < step.settings.values.size(); ++i) {
      const Parameter& p = step.type->parameters[i];
      if (step.settings[i] != p.standard)
        settings[std::string(p.id)] = value_to_json(p, step.settings[i]);
    }
    for (size_t i = 0; i < step.settings.texts.size(); ++i)
      if (const auto& p = step.type->texts[i]; step.settings.texts[i] != p.standard)
        settings[std::string(p.id)] = text_to_json(p, step.settings.texts[i]);
    nlohmann::ordered_json one{{"step", std::string(step.type->id)}};
    if (step.id != 0) one["id"] = step.id;
    one["settings"] = settings;
    if (!step.curves.empty()) one["curves"] = curves_to_json(step.curves, *step.type);
    if (hears_sides(step)) one["sides"] = sides_to_json(step.sides, *step.type);
    if (!step.on) one["on"] = false;
    if (!step.sits_out.empty()) one["sits_out"] = step.sits_out;
    out.push_back(std::move(one));
  }
  return out;
}

Chain chain_from_json(const nlohmann::json& json, const std::string& where) {
  if (!json.is_array()) throw wrong(where, "\"steps\" must be a list of steps.");
  Chain chain;
  for (size_t i = 0; i < json.size(); ++i)
    chain.steps.push_back(step_from_json(json[i], fmt::format("{}, step {}", where, i + 1)));
  return chain;
}

nlohmann::ordered_json to_json(const Recipe& recipe) {
  // As old a version as can hold it, so that older programs read what they can.
  const bool newer = std::ranges::any_of(recipe.chain.steps, [](const ChainStep& s) {
    return !s.curves.empty() || hears_sides(s) || !s.settings.texts.empty();
  });
  nlohmann::ordered_json out{{"drevan_recipe", newer ? newest_recipe : 1}, {"name", recipe.name}};
  if (!recipe.note.empty()) out["note"] = recipe.note;
  if (!recipe.tags.empty()) out["tags"] = recipe.tags;
  out["steps"] = to_json(for_everyone(recipe.chain));
  return out;
}

Recipe recipe_from_text(const std::string& text, const std::string& where) {
  const auto json = parse_json(text, where);
  check_version(json, "drevan_recipe", newest_recipe, where);
  only_members(json, {"drevan_recipe", "name", "note", "tags", "steps"}, where);
  if (!json.contains("steps")) throw wrong(where, "\"steps\" is missing.");
  Recipe recipe{member<std::string>(json, "name", "", where),
                member<std::string>(json, "note", "", where),
                chain_from_json(json.at("steps"), where),
                {}};
  for (const auto& step : recipe.chain.steps) {
    if (!step.sits_out.empty()) throw wrong(where, "\"sits_out\" does not belong in a recipe.");
    if (step.id != 0) throw wrong(where, "\"id\" does not belong in a recipe.");
  }
  if (json.contains("tags")) {
    if (!json.at("tags").is_array()) throw wrong(where, "\"tags\" must be a list of words.");
    for (const auto& tag : json.at("tags")) {
      if (!tag.is_string())
        throw wrong(where, fmt::format("\"tags\" holds {}, which is not a word.", shown(tag)));
      recipe.tags.push_back(tag.get<std::string>());
    }
  }
  return recipe;
}

Recipe load_recipe(const std::filesystem::path& file) {
  Recipe recipe = recipe_from_text(read_text(file), file.string());
  const auto folder = std::filesystem::absolute(file).parent_path();
  resolve_files(recipe.chain, folder);
  return recipe;
}

void save_recipe(const Recipe& recipe, const std::filesystem::path& file) {
  Recipe stored = recipe;
  relate_files(stored.chain, std::filesystem::absolute(file).parent_path());
  write_text(file, dump_json(to_json(stored), 2));
}

}  // namespace drevan
