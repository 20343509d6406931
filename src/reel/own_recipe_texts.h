// Drevan's own recipes as they are written.
#pragma once

#include <span>

namespace drevan {

/// Those for the story: voices and effects.
std::span<const char* const> effect_recipe_texts();
/// Those for the story: lines and walls.
std::span<const char* const> place_recipe_texts();
/// Those for the story: devices and places.
std::span<const char* const> room_recipe_texts();

}  // namespace drevan
