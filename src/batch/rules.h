// SPDX-License-Identifier: GPL-3.0-or-later
// Which recipe each clip of a batch gets, by patterns of group and name.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "reel/reel.h"

namespace drevan {

/// The first rule that matches decides.
struct Rule {
  std::string group = "*",
              name = "*";  ///< patterns: * for any characters, ? for one; case does not count
  Recipe recipe;
  bool append = false;  ///< after the clip's own steps instead of in their place
  bool keep = false;    ///< no recipe: the clip's own steps stay
};

/// Whether all of `text` matches; time grows with the product of both lengths at most.
bool pattern_matches(std::string_view pattern, std::string_view text);

/// A rules file, see docs/formats.md; recipes are named by file, relative to the rules', or by the name of
/// one of Drevan's own. Throws Error(input), Error(call).
std::vector<Rule> load_rules(const std::filesystem::path& file);
std::vector<Rule> rules_from_text(const std::string& text, const std::filesystem::path& folder,
                                  const std::string& where);

const Rule* rule_for(std::span<const Rule> rules, std::string_view group, std::string_view name);

/// Gives every clip the chain its rule says; clips without a rule keep theirs. Returns how many changed.
int apply_rules(Reel& reel, std::span<const Rule> rules);

}  // namespace drevan
