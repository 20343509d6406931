#include "steps/wall_loss.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/room.h"

namespace drevan {

namespace {

// Densities, wave speeds and damping: usual values of building acoustics, from memory; damping is
// that of a built-in plate, which loses sound at its edges.
constexpr std::array<WallMaterial, 9> materials{{
    {"plasterboard", "plasterboard, two leaves", 770, 2000, 0.02, 12.5},
    {"brick", "brick", 1800, 2400, 0.03},
    {"concrete", "concrete", 2300, 3300, 0.025},
    {"timber", "timber", 550, 2800, 0.03},
    {"steel", "steel bulkhead", 7850, 5100, 0.01},
    {"glass", "glass", 2500, 5200, 0.03},
    {"double_glass", "double glass", 2500, 5200, 0.03, 4},
    {"ceiling", "hung ceiling", 400, 1500, 0.03},
    {"cloth", "cloth", 250, 0, 0},
}};

constexpr double air_density = 1.204;
constexpr double most_loss_db = 70;

// One plate.
double plate_db(const WallMaterial& m, double plate_mm, double hz) {
  const double mass = m.density * plate_mm / 1000, corner = coincidence_hz(m, plate_mm);
  const auto straight = [&](double f) {  // for sound that falls straight on it
    return 10 *
           std::log10(1 + std::pow(std::numbers::pi * f * mass / (air_density * sound_m_s), 2));
  };
  const auto below = [&](double f) { return std::max(0.0, straight(f) - 5.5); };
  const auto above = [&](double f) {
    return std::max(0.0,
                    straight(f) + 10 * std::log10(2 * m.damping * f / (std::numbers::pi * corner)));
  };
  if (corner == 0 || hz <= corner / 2) return below(hz);
  if (hz >= corner) return above(hz);
  const double share = std::log2(hz / (corner / 2));
  return std::lerp(below(corner / 2), above(corner), share);
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
  if (m.leaf_mm == 0 || gap_m < 0.003)
    return std::min(most_loss_db, plate_db(m, wall.thickness_mm, hz));
  // Below the resonance of the leaves on the air between them they move as one.
  const double leaf = m.density * m.leaf_mm / 1000;
  const double low = std::sqrt(1.8 * air_density * sound_m_s * sound_m_s * 2 / (gap_m * leaf)) /
                     (2 * std::numbers::pi);
  const double high = 55 / gap_m, one = plate_db(m, m.leaf_mm, hz);
  const auto together = [&](double f) {
    return std::max(
        0.0, 20 * std::log10(std::numbers::pi * f * 2 * leaf / (air_density * sound_m_s)) - 5.5);
  };
  double db = 0;
  if (hz <= low)
    db = together(hz);
  else if (hz < high)
    db = std::max(together(low), 2 * one + 20 * std::log10(hz * gap_m) - 29);
  else
    db = 2 * one + 6;
  return std::min(most_loss_db, db);
}

double with_opening_db(double closed_db, double opening_m2) {
  const double open = std::clamp(opening_m2 / wall_m2, 0.0, 1.0);
  return -10 * std::log10((1 - open) * std::pow(10, -closed_db / 10) + open);
}

double wall_loss_db(const Wall& wall, double hz) {
  return with_opening_db(closed_loss_db(wall, hz), wall.opening_m2);
}

}  // namespace drevan
