// SPDX-License-Identifier: GPL-3.0-or-later
#include "reel/library/library.h"

namespace drevan {

namespace {

// The files of share/recipes, in the order of their names.
constexpr const char* texts[] = {
#include "reel/own_recipes.inc"
};

}  // namespace

std::span<const Recipe> own_recipes() {
  static const std::vector<Recipe> all = [] {
    std::vector<Recipe> out;
    for (const char* text : texts) out.push_back(recipe_from_text(text, "own recipe"));
    return out;
  }();
  return all;
}

}  // namespace drevan
