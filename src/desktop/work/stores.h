// SPDX-License-Identifier: GPL-3.0-or-later
// What was found, measured and kept of sounds. Shared: tasks keep it alive, so that nothing must end in order.
#pragma once

#include <memory>

#include "engine/listening/level_path.h"

namespace drevan::desktop {

struct Stores {
  FindingStore findings;
  LevelStore levels;
  StageStore stages{size_t{256} << 20};  ///< of the selected clip
  StageStore borders{
      size_t{256} << 20};  ///< of the visible clips: as their sound enters the group's chain
};

using SharedStores = std::shared_ptr<Stores>;

}  // namespace drevan::desktop
