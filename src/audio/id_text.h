// SPDX-License-Identifier: GPL-3.0-or-later
// Ids in sentences and keys.
#pragma once

#include <fmt/core.h>

#include "audio/id.h"

template <class Of>
struct fmt::formatter<drevan::Id<Of>> : fmt::formatter<int> {
  template <class Context>
  auto format(drevan::Id<Of> id, Context& context) const {
    return fmt::formatter<int>::format(id.number(), context);
  }
};
