// SPDX-License-Identifier: GPL-3.0-or-later
// How much sound a wall takes.
#pragma once

#include <array>
#include <span>
#include <string_view>

namespace drevan {

/// What a wall is made of. Two leaves with air between where `leaf_mm` is above 0.
struct WallMaterial {
  std::string_view id, label;
  double density;      ///< kg/m3
  double wave_m_s;     ///< of long waves in a plate; 0: it hangs limp
  double damping;      ///< loss factor
  double leaf_mm = 0;  ///< of each leaf; the rest of the thickness is air
  double gain_db = 0;  ///< two leaves: the most that they gain over one of their mass
};
std::span<const WallMaterial> wall_materials();

/// What stands between. `opening_m2` of its wall_m2 is open.
struct Wall {
  const WallMaterial* material;
  double thickness_mm, opening_m2;
};
inline constexpr double wall_m2 = 10;

/// Loss of the closed wall for sound from all sides, dB, from 0: mass law below the coincidence
/// frequency and Cremer's law above it (L. Cremer, "Theorie der Schalldaemmung duenner Waende bei
/// schraegem Einfall", Akustische Zeitschrift 7, 1942); two leaves after B. H. Sharp, "Prediction
/// methods for the sound transmission of building elements", Noise Control Engineering 11, 1978:
/// 18 dB an octave above the resonance of the leaves on their air, as far as what joins them lets it.
/// Not above 70 dB: what goes round a wall is louder than that.
double closed_loss_db(const Wall& wall, double hz);
/// The same with the opening, whose own loss is none: the powers add (ISO 12354-1, the sum of
/// elements).
double wall_loss_db(const Wall& wall, double hz);
double with_opening_db(double closed_db, double opening_m2);
/// Where waves in the plate are as long as those in the air along it, Hz; 0: nowhere.
double coincidence_hz(const WallMaterial& material, double plate_mm);

}  // namespace drevan
