// SPDX-License-Identifier: GPL-3.0-or-later
// Files that are broken, lying, nested, huge or odd.
#pragma once

#include <filesystem>
#include <vector>

namespace drevan::test {

struct Hostile {
  std::vector<std::filesystem::path> sounds, reels, recipes;
  std::vector<std::filesystem::path> responses;  ///< SOFA files
};

/// Makes them below `folder`; needs ffmpeg's command line for some.
Hostile make_hostile(const std::filesystem::path& folder);

}  // namespace drevan::test
