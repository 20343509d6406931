// SPDX-License-Identifier: GPL-3.0-or-later
// A recipe file put on the selected clip, and its chain kept as one.
#pragma once

#include <filesystem>

namespace drevan::desktop {

struct Work;

/// Where the user's recipes lie: $XDG_DATA_HOME/drevan/recipes.
std::filesystem::path library_folder();
/// The file's steps in place of those of the selected clip. Tells what goes wrong.
void use_recipe_file(const Work& work, const std::filesystem::path& file);
/// The selected clip's own chain. Tells what goes wrong.
void save_recipe_file(const Work& work, const std::filesystem::path& file);

}  // namespace drevan::desktop
