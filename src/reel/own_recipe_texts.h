// Drevan's own recipes as they are written.
#pragma once

#include <span>

namespace drevan {

/// Those for the story: voices and effects.
std::span<const char* const> effect_recipe_texts();

}  // namespace drevan
