// SPDX-License-Identifier: GPL-3.0-or-later
// The vocoder's settings.
#pragma once

#include <vector>

#include "steps/step.h"

namespace drevan::vocoder {

/// Places of the settings in parameters().
enum : int {
  carrier,
  carrier_hz,
  bands,
  low_hz,
  high_hz,
  attack_ms,
  release_ms,
  shift_st,
  flatten_pct,
  sharp_db,
  carrier_db,
  hear,
  mix_pct,
  level
};
enum Carrier : int { noise, saw, pulse, chord, own_pitch, other_sound, carrier_count };
inline constexpr int result = 0, carrier_alone = 1;

std::vector<Parameter> parameters();

}  // namespace drevan::vocoder
