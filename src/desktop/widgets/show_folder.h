// SPDX-License-Identifier: GPL-3.0-or-later
// A folder in the desktop's file manager.
#pragma once

#include <filesystem>

namespace drevan::desktop {

class Notices;

/// Opens a folder, or the one a file lies in; where that fails, it is told.
void show_folder(Notices& notices, const std::filesystem::path& file_or_folder);

}  // namespace drevan::desktop
