// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/space/wall_loss.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/room.h"

namespace drevan {

namespace {

// Densities, wave speeds and damping: usual values of building acoustics, from memory; damping is
// that of a built-in plate, which loses sound at its edges. What two leaves gain: boards on studs 0.6
// m apart by Sharp's 10 lg(b f) - 24 dB, f that of the coincidence; panes in a frame, whose gap is
// bare, as measured (EN 12758).
constexpr std::array<WallMaterial, 9> materials{{
    {"plasterboard", "plasterboard, two leaves", 770, 2000, 0.02, 12.5, 8},
    {"brick", "brick", 1800, 2400, 0.03},
    {"concrete", "concrete", 2300, 3300, 0.025},
    {"timber", "timber", 550, 2800, 0.03},
    {"steel", "steel bulkhead", 7850, 5100, 0.01},
    {"glass", "glass", 2500, 5200, 0.03},
    {"double_glass", "double glass", 2500, 5200, 0.03, 4, -5},
    {"ceiling", "hung ceiling", 400, 1500, 0.03},
    {"cloth", "cloth", 250, 0, 0},
}};

constexpr double air_density = 1.204;
constexpr double most_loss_db = 70;

// For sound that falls straight on it.
double straight_db(double mass, double hz) {
  return 10 * std::log10(1 + std::pow(std::numbers::pi * hz * mass / (air_density * sound_m_s), 2));
}
double mass_law_db(double mass, double hz) { return std::max(0.0, straight_db(mass, hz) - 5.5); }

// One plate.
double plate_db(const WallMaterial& m, double plate_mm, double hz) {
  const double mass = m.density * plate_mm / 1000, corner = coincidence_hz(m, plate_mm);
  const auto above = [&](double f) {
    return std::max(0.0, straight_db(mass, f) +
                             10 * std::log10(2 * m.damping * f / (std::numbers::pi * corner)));
  };
  if (corner == 0 || hz <= corner / 2) return mass_law_db(mass, hz);
  if (hz >= corner) return above(hz);
  const double share = std::log2(hz / (corner / 2));
  return std::lerp(mass_law_db(mass, corner / 2), above(corner), share);
}

// Two of them. Below the resonance on the air between them they move as one.
double two_leaves_db(const WallMaterial& m, double gap_m, double hz) {
  const double mass = m.density * m.leaf_mm / 1000;
  const double resonance_hz =
      std::sqrt(1.8 * air_density * sound_m_s * sound_m_s * 2 / (gap_m * mass)) /
      (2 * std::numbers::pi);
  const auto by_air = [&](double f) {
    const double one = plate_db(m, m.leaf_mm, f);
    return f < 55 / gap_m ? 2 * one + 20 * std::log10(f * gap_m) - 29 : 2 * one + 6;
  };
  // What joins them carries sound past the air. Coincidence is that of a leaf.
  const auto joined = [&](double f) {
    return mass_law_db(2 * mass, f) + m.gain_db -
           (mass_law_db(mass, f) - plate_db(m, m.leaf_mm, f));
  };
  const double below_hz = resonance_hz / std::numbers::sqrt2;
  if (hz <= below_hz) return mass_law_db(2 * mass, hz);
  if (hz >= resonance_hz) return std::max(0.0, std::min(by_air(hz), joined(hz)));
  const double at_resonance = std::max(0.0, std::min(by_air(resonance_hz), joined(resonance_hz)));
  return std::lerp(mass_law_db(2 * mass, below_hz), at_resonance, 2 * std::log2(hz / below_hz));
}

}  // namespace

std::span<const WallMaterial> wall_materials() { return materials; }

double coincidence_hz(const WallMaterial& m, double plate_mm) {
  if (m.wave_m_s == 0) return 0;
  return sound_m_s * sound_m_s / (1.8138 * m.wave_m_s * plate_mm / 1000);
}

double closed_loss_db(const Wall& wall, double hz) {
  const WallMaterial& m = *wall.material;
  const double gap_m = (wall.thickness_mm - 2 * m.leaf_mm) / 1000;
  const bool one = m.leaf_mm == 0 || gap_m < 0.003;
  return std::min(most_loss_db,
                  one ? plate_db(m, wall.thickness_mm, hz) : two_leaves_db(m, gap_m, hz));
}

double with_opening_db(double closed_db, double opening_m2) {
  const double open = std::clamp(opening_m2 / wall_m2, 0.0, 1.0);
  return -10 * std::log10((1 - open) * std::pow(10, -closed_db / 10) + open);
}

double wall_loss_db(const Wall& wall, double hz) {
  return with_opening_db(closed_loss_db(wall, hz), wall.opening_m2);
}

}  // namespace drevan
