// SPDX-License-Identifier: GPL-3.0-or-later
// Chains and recipes: steps in order, and their JSON.
#pragma once

#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "reel/ids.h"
#include "steps/step.h"

namespace drevan {

/// The highest number that a clip, a step, a line or (after a minus) a space may have in a file: one
/// that is nearer to what an int holds would leave none for the next.
inline constexpr int most_id = 1'000'000'000;
/// A new id of its kind, `last` being the highest that there ever was. Where a file has come to their
/// end, the lowest that `taken(id)` does not know.
template <class Taken>
int next_id(int& last, Taken taken) {
  if (last < most_id) return ++last;
  int id = 1;
  while (taken(id)) ++id;
  return id;
}
template <class Kind, class Taken>
Id<Kind> next_id(Id<Kind>& last, Taken taken) {
  if (last.number() < most_id) return last = Id<Kind>::numbered(last.number() + 1);
  int id = 1;
  while (taken(Id<Kind>::numbered(id))) ++id;
  return Id<Kind>::numbered(id);
}

/// What a step hears beside its own sound, for one of StepType::sides.
struct SideChoice {
  enum class From { nothing, clip, file };
  From from = From::nothing;
  ClipId clip =
      0;  ///< of the reel, by id; its sound through its own chain. 0: by name, as in a recipe
  std::string name{};            ///< the clip's
  std::filesystem::path file{};  ///< absolute in memory
  friend bool operator==(const SideChoice&, const SideChoice&) = default;
};

/// One step in a chain. `type` points into the catalogue and is never null.
struct ChainStep {
  const StepType* type = nullptr;
  Settings settings{};
  bool on = true;
  std::vector<ClipId>
      sits_out{};  ///< in a group's or the reel's chain: clips, by id, that pass it by; sorted
  StepId id = 0;
  std::vector<Track> curves{};      ///< of parameters that follow one, each once, by parameter
  std::vector<SideChoice> sides{};  ///< as StepType::sides; those that are left out are nothing
  /// Whether both do the same; their ids do not matter.
  friend bool operator==(const ChainStep& a, const ChainStep& b) {
    return a.type == b.type && a.settings == b.settings && a.on == b.on &&
           a.sits_out == b.sits_out && a.curves == b.curves && a.sides == b.sides;
  }
};

/// Sound flows from the first step to the last.
struct Chain {
  std::vector<ChainStep> steps;
  friend bool operator==(const Chain&, const Chain&) = default;
};

/// A chain under a name, one file.
struct Recipe {
  std::string name, note;
  Chain chain;
  std::vector<std::string> tags{};
  friend bool operator==(const Recipe&, const Recipe&) = default;
};

/// The same steps as anybody's: nobody sits out, and they are of no reel.
Chain for_everyone(Chain chain);

/// The choices of a step that are not nothing.
bool hears_sides(const ChainStep& step);

/// Every file that a chain needs (settings that are files, and what is heard beside), by what
/// `change` makes of it.
void change_files(Chain& chain,
                  const std::function<std::filesystem::path(const std::filesystem::path&)>& change);
/// Relative ones taken from `folder`.
void resolve_files(Chain& chain, const std::filesystem::path& folder);
/// As they are stored beside `folder`: relative where they lie on the same tree.
void relate_files(Chain& chain, const std::filesystem::path& folder);

/// Every curve of a step later by so many seconds.
void shift_curves(ChainStep& step, double by_s);

/// A step with its standard settings; `id` must be in the catalogue.
ChainStep make_step(std::string_view id);
/// The step in a role at its standard settings.
ChainStep make_step(Role role);
inline bool is(const ChainStep& step, Role role) { return step.type->traits.role == role; }
/// A setting by its id, which the step must have: throws std::logic_error otherwise.
double setting(const ChainStep& step, std::string_view id);
double& setting(ChainStep& step, std::string_view id);

// Reading throws Error(call) that names `where` (mostly the file), the place in it and what is
// allowed: an unknown step, an unknown setting, a value out of range. Nothing is half-loaded.

nlohmann::ordered_json to_json(const Chain& chain);
Chain chain_from_json(const nlohmann::json& json, const std::string& where);

/// A list of clips' ids, sorted and each once.
std::vector<ClipId> ids_from_json(const nlohmann::json& json, const std::string& where);

nlohmann::ordered_json to_json(const Recipe& recipe);
Recipe recipe_from_text(const std::string& text, const std::string& where);

/// Throws Error(input) when the file cannot be read, Error(call) when what it holds is wrong.
Recipe load_recipe(const std::filesystem::path& file);
/// Atomic. Throws Error(output).
void save_recipe(const Recipe& recipe, const std::filesystem::path& file);

}  // namespace drevan
