// SPDX-License-Identifier: GPL-3.0-or-later
// A room by its walls: how long it rings, what its walls send back, what the air takes.
#pragma once

#include <array>
#include <cstddef>
#include <vector>

namespace drevan {

inline constexpr size_t octave_count = 8;
/// Centres of the octaves, 63 Hz to 8 kHz.
inline constexpr std::array<double, octave_count> octave_hz{63,   125,  250,  500,
                                                            1000, 2000, 4000, 8000};
using Octaves = std::array<double, octave_count>;

/// Metres: to the right, ahead, up.
struct Place {
  double x = 0, y = 0, z = 0;
  Place operator+(const Place& o) const { return {x + o.x, y + o.y, z + o.z}; }
  Place operator-(const Place& o) const { return {x - o.x, y - o.y, z - o.z}; }
  Place operator*(double k) const { return {x * k, y * k, z * k}; }
  double length() const;
};
inline double product(const Place& a, const Place& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }

inline constexpr double sound_m_s = 343.2;  ///< at 20 degrees

/// The six surfaces of a box.
enum RoomSide : size_t { left_side, right_side, back_side, front_side, floor_side, ceiling_side };

/// A box with walls. From 0, 0, 0 to `size`; the front is where y is largest.
struct Room {
  Place size{5, 5, 3};
  std::array<Octaves, 6> absorption{};  ///< shares of the energy, by RoomSide
  Octaves objects_m2{};                 ///< absorption area of people and furniture
  double decay = 1;                     ///< all decays as they would be, times this
  double scatter = 0.1;                 ///< share of the energy that walls send elsewhere
  double volume() const { return size.x * size.y * size.z; }
  double surface() const { return 2 * (size.x * size.y + size.x * size.z + size.y * size.z); }
};

/// Loss of the air at 20 degrees, dB per metre (ISO 9613-1:1993, formulas 3 to 5, at 101.325 kPa).
double air_loss_db_m(double hz, double humidity_pct = 50);
/// Mean absorption of all surfaces, objects on them.
double mean_absorption(const Room& room, size_t octave);
/// Seconds to fall by 60 dB: C. F. Eyring, "Reverberation time in 'dead' rooms", JASA 1, 1930, with
/// the air: 24 ln(10) / c * V / (4 m V - S ln(1 - a)).
double eyring_s(const Room& room, size_t octave);
/// How far from a source of no direction the room is as loud as the source, metres: sqrt(A / 16
/// pi).
double critical_m(const Room& room, size_t octave);
/// Energy per second of the room's answer to a pulse, t seconds after it, where the pulse itself
/// has an energy of 1 at one metre: 16 pi / A * 13.8 / T * exp(-13.8 t / T), the diffuse field that
/// M. Barron and L.-J. Lee start from, "Energy relations in concert auditoriums", JASA 84, 1988.
double diffuse_energy(const Room& room, size_t octave, double t_s);
/// Share of the surface that is open, where nothing comes back in any octave.
double open_share(const Room& room);

/// One way from source to listener by the walls.
struct RoomImage {
  Place at;        ///< where the source seems to be
  int order = 0;   ///< how many walls; 0: the source itself
  Octaves gain{};  ///< what the walls leave of the amplitude
  Place turned{};  ///< per axis 1 or -1: the source's own axes as they are mirrored
};

/// All images up to `order` (J. B. Allen, D. A. Berkley, "Image method for efficiently simulating
/// small-room acoustics", JASA 65(4), 1979), the source itself first. What is scattered, and what a
/// wall takes, is taken off. `into` keeps its room.
void room_images(const Room& room, const Place& source, int order, std::vector<RoomImage>& into);
/// How many there are at most.
constexpr size_t image_count(int order) {
  const auto n = static_cast<size_t>(order);
  return (2 * n + 1) * (2 * n * n + 2 * n + 3) / 3;
}

/// Inside the walls by `margin` metres, or by a quarter of a size; `moved`: whether it was outside.
Place within_room(const Room& room, const Place& place, double margin, bool* moved = nullptr);

}  // namespace drevan
