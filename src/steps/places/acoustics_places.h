// SPDX-License-Identifier: GPL-3.0-or-later
// What rooms are made of, and places that there are.
#pragma once

#include <span>
#include <string>
#include <vector>

#include "dsp/room.h"
#include "steps/step.h"

namespace drevan {

/// A surface by the share of sound that it takes, octave by octave. Values of 125 Hz to 4 kHz as
/// textbooks print them (H. Kuttruff, "Room acoustics", and M. Vorlaender, "Auralization", annex;
/// from memory); steel plate, car trim and rock are estimates. The octaves at both ends are as
/// their neighbours.
struct SurfaceMaterial {
  std::string id, label;
  Octaves absorption;
};
/// In the order of the step's lists.
std::span<const SurfaceMaterial> surface_materials();

/// Absorption area of a person who stands, m2 (the same books).
inline constexpr Octaves person_m2{0.12, 0.15, 0.30, 0.42, 0.43, 0.45, 0.45, 0.45};
/// Share that furniture takes where it stands; an estimate.
inline constexpr Octaves furniture{0.10, 0.15, 0.25, 0.35, 0.40, 0.40, 0.40, 0.40};

/// All places that come with the program, as settings of the step, sorted by kind.
std::span<const NamedSettings> acoustic_places();

}  // namespace drevan
