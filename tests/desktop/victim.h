// SPDX-License-Identifier: GPL-3.0-or-later
// The real window at work until it is killed.
#pragma once

#include <cstdint>

namespace drevan::desktop {

/// What a victim writes to its standard output for every edit it has made.
struct Told {
  std::int64_t count = 0;  ///< the first clip's name, as a number
  std::int64_t at_ns = 0;  ///< by the steady clock, which all processes share
};

/// Opens the reel in the window and edits, saves, prints and renders at random, for ever.
int work_until_killed(const char* reel, unsigned seed);

}  // namespace drevan::desktop
