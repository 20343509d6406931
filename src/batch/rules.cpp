// SPDX-License-Identifier: GPL-3.0-or-later
#include "batch/rules.h"

#include <fmt/format.h>

#include <algorithm>

#include "audio/error.h"
#include "audio/utf8.h"
#include "reel/files/json_file.h"
#include "reel/library/library.h"

namespace drevan {

namespace {

// Letters of folded text; a broken byte is one as well.
std::vector<std::string> letters(std::string_view text) {
  const std::string all = folded(text);
  std::vector<std::string> out;
  for (std::string_view left = all; !left.empty(); left.remove_prefix(out.back().size()))
    out.emplace_back(left.substr(0, std::max<size_t>(1, utf8_length(left))));
  return out;
}

}  // namespace

// Not fnmatch(): that takes time without end over many stars, and one letter for several where no
// locale is set.
bool pattern_matches(std::string_view pattern_text, std::string_view text_text) {
  const auto pattern = letters(pattern_text), text = letters(text_text);
  const auto same = [](const std::string& a, const std::string& b) { return a == "?" || a == b; };
  // Back to the last star when what follows it does not fit: no star before it need be tried again.
  size_t p = 0, t = 0, star = std::string_view::npos, from = 0;
  while (t < text.size()) {
    if (p < pattern.size() && pattern[p] == "*") {
      star = p++;
      from = t;
    } else if (p < pattern.size() && same(pattern[p], text[t])) {
      ++p, ++t;
    } else if (star != std::string_view::npos) {
      p = star + 1;
      t = ++from;
    } else {
      return false;
    }
  }
  while (p < pattern.size() && pattern[p] == "*") ++p;
  return p == pattern.size();
}

std::vector<Rule> rules_from_text(const std::string& text, const std::filesystem::path& folder,
                                  const std::string& where) {
  const auto j = parse_json(text, where);
  check_version(j, "drevan_rules", 1, where);
  if (!j.contains("rules") || !j.at("rules").is_array())
    throw wrong(where, "\"rules\" must be a list.");
  std::vector<Rule> out;
  for (const auto& r : j.at("rules")) {
    const auto here = fmt::format("{}, rule {}", where, out.size() + 1);
    if (!r.is_object())
      throw wrong(here, "must look like { \"group\": \"Ines*\", \"recipe\": \"near.recipe\" }.");
    for (const auto& [key, value] : r.items())
      if (key != "group" && key != "name" && key != "recipe" && key != "append" && key != "keep")
        throw wrong(here, fmt::format("\"{}\" does not belong here; a rule has \"group\", "
                                      "\"name\", \"recipe\" and \"append\", or \"keep\".",
                                      key));
    Rule rule;
    rule.group = member<std::string>(r, "group", "*", here);
    rule.name = member<std::string>(r, "name", "*", here);
    rule.append = member(r, "append", false, here);
    rule.keep = member(r, "keep", false, here);
    if (rule.keep && (r.contains("recipe") || rule.append))
      throw wrong(here, "\"keep\" leaves the steps as they are; it goes with no recipe.");
    if (rule.keep) {
      out.push_back(std::move(rule));
      continue;
    }
    const auto recipe = member<std::string>(r, "recipe", "", here);
    if (recipe.empty()) throw wrong(here, "\"recipe\" is missing.");
    const auto own = std::ranges::find(own_recipes(), recipe, &Recipe::name);
    rule.recipe = own != own_recipes().end() ? *own : load_recipe(folder / recipe);
    out.push_back(std::move(rule));
  }
  return out;
}

std::vector<Rule> load_rules(const std::filesystem::path& file) {
  return rules_from_text(read_text(file), std::filesystem::absolute(file).parent_path(),
                         file.string());
}

const Rule* rule_for(std::span<const Rule> rules, std::string_view group, std::string_view name) {
  const auto at = std::ranges::find_if(rules, [&](const Rule& r) {
    return pattern_matches(r.group, group) && pattern_matches(r.name, name);
  });
  return at == rules.end() ? nullptr : &*at;
}

int apply_rules(Reel& reel, std::span<const Rule> rules) {
  int changed = 0;
  for (size_t i = 0; i < reel.clips.size(); ++i) {
    const Clip& clip = std::as_const(reel.clips)[i];
    const Rule* rule = rule_for(rules, reel.group_of(clip).name, clip.name);
    if (!rule || rule->keep) continue;
    Chain next = rule->append ? clip.chain : Chain{};
    next.steps.insert(next.steps.end(), rule->recipe.chain.steps.begin(),
                      rule->recipe.chain.steps.end());
    if (next == clip.chain) continue;
    reel.clips[i].chain = std::move(next);
    ++changed;
  }
  return changed;
}

}  // namespace drevan
