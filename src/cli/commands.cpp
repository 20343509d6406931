// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "audio/error.h"
#include "audio/time_text.h"
#include "batch/report.h"
#include "batch/target.h"
#include "engine/planning/advice.h"
#include "engine/listening/measure_file.h"
#include "reel/chain.h"
#include "reel/files/json_file.h"
#include "reel/library/source_files.h"
#include "steps/catalogue.h"

namespace drevan::cli {

using nlohmann::ordered_json;

namespace {

std::string text(const std::optional<double>& v, std::string_view unit) {
  return v ? fmt::format("{:.1f} {}", *v, unit) : "none";
}

ordered_json to_json(const Parameter& p) {
  ordered_json out{{"id", p.id}, {"label", p.label}, {"help", p.help}};
  if (p.scale == Scale::choice) {
    out["choices"] = ordered_json::array();
    for (const auto& c : p.choices) out["choices"].push_back({{"id", c.id}, {"label", c.label}});
    out["standard"] = p.choices[static_cast<size_t>(p.standard)].id;
    return out;
  }
  out["unit"] = p.unit;
  out["least"] = p.least;
  out["most"] = p.most;
  out["standard"] = p.standard;
  if (p.off_at) out["off_at"] = *p.off_at;
  return out;
}

ordered_json to_json(const StepType& t) {
  ordered_json out{{"step", t.id},
                   {"label", t.label},
                   {"summary", t.summary},
                   {"family", family_label(t.family)},
                   {"settings", ordered_json::array()},
                   {"starting_points", ordered_json::array()}};
  for (const auto& p : t.parameters) out["settings"].push_back(to_json(p));
  for (const auto& p : t.texts)
    out["settings"].push_back({{"id", p.id},
                               {"label", p.label},
                               {"help", p.help},
                               {"kind", p.is_file() ? "file" : "text"},
                               {"standard", p.standard}});
  for (const auto& side : t.sides)
    out["sides"].push_back({{"id", side.id}, {"label", side.label}, {"help", side.help}});
  for (const auto& s : t.starting_points) {
    // Through the chain's own writer, so that lists show as recipes hold them.
    const Chain one{{{&t, settings_of(t, s), true}}};
    out["starting_points"].push_back(
        {{"name", s.name}, {"note", s.note}, {"settings", drevan::to_json(one)[0]["settings"]}});
  }
  return out;
}

void print(const StepType& t) {
  say("{}  ({}, {}) {}\n", t.id, t.label, family_label(t.family), t.summary);
  for (const auto& p : t.parameters) {
    std::string range;
    if (p.scale == Scale::choice)
      for (const auto& c : p.choices) range += (range.empty() ? "" : " | ") + std::string(c.id);
    else
      range = value_text(p, p.least) + " to " + value_text(p, p.most);
    const auto standard = p.scale == Scale::choice
                              ? std::string(p.choices[static_cast<size_t>(p.standard)].id)
                              : value_text(p, p.standard);
    say("    {:<16} {:<34} standard {}\n", p.id, range, standard);
  }
  for (const auto& p : t.texts)
    say("    {:<16} {:<34} standard {}\n", p.id, p.is_file() ? p.files : "text",
        p.standard.empty() ? "none" : p.standard);
  for (const auto& side : t.sides) say("    hears beside: {} ({})\n", side.id, side.help);
  for (const auto& s : t.starting_points) say("    starting point: {} ({})\n", s.name, s.note);
}

}  // namespace

int measure(const std::vector<std::filesystem::path>& inputs, bool json) {
  auto out = ordered_json::array();
  bool failed = false;
  for (const auto& file : inputs) {
    try {
      const FileLevels m = measure_file(file, interrupted());
      for (const auto& w : m.info.warnings) complain("{}\n", w);
      failed = failed || !m.info.whole;
      if (!json) {
        say("{}: peak {}, true peak {}, loudness {}, range {}, noise floor {}, {}, "
            "{} ch, {:.0f} Hz, {} clipped\n",
            file.string(), text(m.levels.sample_peak_dbfs, "dBFS"),
            text(m.levels.true_peak_dbtp, "dBTP"), text(m.levels.loudness_lufs, "LUFS"),
            text(m.levels.loudness_range_lu, "LU"), text(m.levels.noise_floor_dbfs, "dBFS"),
            length_text(m.info.seconds()), m.info.channels, m.info.rate, m.levels.clipped_samples);
        continue;
      }
      ordered_json one{{"file", file.string()}};
      one.update(drevan::to_json(m.levels));
      one["duration_s"] = std::round(m.info.seconds() * 1e6) / 1e6;
      one["channels"] = m.info.channels;
      one["rate_hz"] = m.info.rate;
      out.push_back(std::move(one));
    } catch (const Error& e) {
      complain("{}\n", e.what());
      failed = true;
    }
  }
  if (json) fmt::print("{}", dump_json(out, 2));
  return failed ? some_failed : ok;
}

int check(const std::string& target_name, const std::vector<std::filesystem::path>& inputs) {
  const Target target = find_target(target_name);
  int result = ok;
  for (const auto& file : inputs) {
    try {
      const FileLevels m = measure_file(file, interrupted());
      for (const auto& w : m.info.warnings) complain("{}\n", w);
      if (!m.info.whole) result = some_failed;
      const auto missed = misses(target, m.levels);
      say("{}: {} {}\n", file.string(), missed.empty() ? "meets" : "misses", target.label);
      for (const Miss& miss : missed) say("    {}\n", miss_text(miss));
      if (!missed.empty()) result = std::max<int>(result, misses_target);
    } catch (const Error& e) {
      complain("{}\n", e.what());
      result = some_failed;
    }
  }
  return result;
}

int advise(const std::filesystem::path& recipe_file,
           const std::vector<std::filesystem::path>& inputs, const std::string& room_tone) {
  const auto given = parse_room_tone(room_tone);
  const Recipe recipe = load_recipe(recipe_file);
  const auto print_all = [](const std::string& of, const std::vector<Advice>& all) {
    if (all.empty()) say("{}: nothing to say\n", of);
    for (const Advice& a : all)
      say("{}: {}{}{}\n", of, a.reason, a.action.empty() ? "" : " " + a.action,
          a.action.empty() ? "" : ".");
  };
  if (inputs.empty()) {
    print_all(recipe_file.string(), drevan::advise(recipe.chain));
    return ok;
  }
  int result = ok;
  FindingStore store;
  LevelStore levels;
  LevelPathOptions options;
  options.store = &store;
  options.levels = &levels;
  options.cancel = &interrupted();
  for (const auto& file : inputs) {
    try {
      ClipSound sound{file, 0, -1, 48000, {}};
      sound.room_tone = given || room_tone == "none" ? given : find_room_tone(sound, interrupted());
      const LevelPath path = measure_level_path(plan_of(sound, recipe.chain), options);
      const RoomToneJudgement tone = judge_room_tone(sound, interrupted());
      print_all(file.string(), drevan::advise(recipe.chain, &path, sound.rate, &tone));
    } catch (const Error& e) {
      complain("{}\n", e.what());
      result = some_failed;
    }
  }
  return result;
}

int list_steps(bool json) {
  auto out = ordered_json::array();
  for (const StepType* t : catalogue()) {
    if (json)
      out.push_back(to_json(*t));
    else
      print(*t);
  }
  if (json) fmt::print("{}", dump_json(out, 2));
  return ok;
}

int check_recipes(const std::vector<std::filesystem::path>& files) {
  int result = ok;
  for (const auto& file : files) {
    try {
      const Recipe recipe = load_recipe(file);
      std::string steps;
      for (const auto& s : recipe.chain.steps)
        steps += (steps.empty() ? "" : ", ") + std::string(s.type->label) + (s.on ? "" : " (off)");
      std::vector<std::string> faults;
      for (const auto& need : files_of(recipe.chain)) {
        std::error_code error;
        if (!std::filesystem::exists(need, error))
          faults.push_back(fmt::format("{} is not there", need.string()));
      }
      for (const auto& s : recipe.chain.steps)
        for (size_t i = 0; i < s.settings.texts.size(); ++i)
          if (const auto& t = s.type->texts[i]; t.is_file() && !s.settings.texts[i].empty())
            if (const auto fault = fault_of(t, s.settings.texts[i]);
                !fault.empty() && std::filesystem::exists(s.settings.texts[i]))
              faults.push_back(fmt::format("{} {}", s.settings.texts[i], fault));
      if (!faults.empty())
        throw Error(Error::Kind::input,
                    fmt::format("{}: {}. Find what is missing, or choose another file.",
                                file.string(), fmt::join(faults, "; ")));
      say("{}: good. \"{}\": {}\n", file.string(), recipe.name, steps);
    } catch (const Error& e) {
      complain("{}\n", e.what());
      result = std::max<int>(result, e.kind() == Error::Kind::input ? some_failed : wrong_call);
    }
  }
  return result;
}

}  // namespace drevan::cli
