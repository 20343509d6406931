// SPDX-License-Identifier: GPL-3.0-or-later
// What Drevan stands on.
#pragma once

#include <span>

namespace drevan::desktop {

struct Library {
  const char* name;
  const char* licence;
  const char* file;  ///< how its shared library begins; several with blanks between; "": none
};

/// All that is linked or compiled in: the build's own list, which refuses to link any other.
std::span<const Library> libraries();

}  // namespace drevan::desktop
