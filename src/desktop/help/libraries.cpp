// SPDX-License-Identifier: GPL-3.0-or-later
#include "help/libraries.h"

namespace drevan::desktop {

std::span<const Library> libraries() {
  static constexpr Library all[] = {
#include "libraries.inc"
  };
  return all;
}

}  // namespace drevan::desktop
