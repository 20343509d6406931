// SPDX-License-Identifier: GPL-3.0-or-later
#include "fuzzing.h"
#include "reel/library/library.h"
#include "steps/catalogue.h"

// A recipe that is read can be written, compared, and its steps be made.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace drevan;
  fuzz::must_only_throw_error([&] {
    const Recipe recipe = recipe_from_text(fuzz::text(data, size), "fuzz.recipe");
    const Recipe again = recipe_from_text(
        to_json(recipe).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace),
        "again.recipe");
    fuzz::require(again.chain == recipe.chain);
    recipe_differences(own_recipes()[0], recipe);
    matches(recipe, recipe.name);
    for (size_t i = 0; i < std::min<size_t>(recipe.chain.steps.size(), 3); ++i) {
      const auto& step = recipe.chain.steps[i];
      step.type->brief(step.settings);
      make_processor(*step.type, step.settings, {}, {48000, 1, 256});
    }
  });
  return 0;
}
