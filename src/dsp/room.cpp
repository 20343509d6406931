// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/room.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace drevan {

namespace {

double side_area(const Room& r, size_t side) {
  if (side <= right_side) return r.size.y * r.size.z;
  if (side <= front_side) return r.size.x * r.size.z;
  return r.size.x * r.size.y;
}

// Absorption area, m2, air and `decay` included.
double area_m2(const Room& room, size_t octave) {
  const double air = air_loss_db_m(octave_hz[octave]) / (10 * std::log10(std::numbers::e));
  const double walls =
      -room.surface() * std::log(1 - std::min(mean_absorption(room, octave), 0.999));
  return std::max(1e-6, (walls + 4 * air * room.volume()) / room.decay);
}

// Where one axis' coordinate is mirrored to: image `i` of a source at x between walls at 0 and
// size, and how often each of the two walls was met.
struct Mirrored {
  double at;
  int low, high;
};
Mirrored mirrored(double x, double size, int i) {
  const bool even = i % 2 == 0;
  const double at = even ? i * size + x : (i + 1) * size - x;
  const int n = std::abs(i);
  // Walls are met in turn; the first is the one on the image's side.
  const int first = (n + 1) / 2, second = n / 2;
  return i > 0 ? Mirrored{at, second, first} : Mirrored{at, first, second};
}

}  // namespace

double Place::length() const { return std::sqrt(product(*this, *this)); }

double air_loss_db_m(double hz, double humidity_pct) {
  constexpr double t = 293.15, t0 = 293.15, t01 = 273.16;
  const double saturation = std::pow(10, -6.8346 * std::pow(t01 / t, 1.261) + 4.6151);
  const double h = humidity_pct * saturation;
  const double oxygen = 24 + 4.04e4 * h * (0.02 + h) / (0.391 + h);
  const double nitrogen =
      std::pow(t / t0, -0.5) * (9 + 280 * h * std::exp(-4.170 * (std::pow(t / t0, -1.0 / 3) - 1)));
  const double f2 = hz * hz;
  return 8.686 * f2 *
         (1.84e-11 * std::sqrt(t / t0) +
          std::pow(t / t0, -2.5) * (0.01275 * std::exp(-2239.1 / t) / (oxygen + f2 / oxygen) +
                                    0.1068 * std::exp(-3352.0 / t) / (nitrogen + f2 / nitrogen)));
}

double mean_absorption(const Room& room, size_t octave) {
  double sum = room.objects_m2[octave];
  for (size_t side = 0; side < 6; ++side)
    sum += side_area(room, side) * room.absorption[side][octave];
  return std::clamp(sum / room.surface(), 1e-4, 1.0);
}

double eyring_s(const Room& room, size_t octave) {
  return 24 * std::numbers::ln10 / sound_m_s * room.volume() / area_m2(room, octave);
}

double critical_m(const Room& room, size_t octave) {
  return std::sqrt(area_m2(room, octave) / (16 * std::numbers::pi));
}

double diffuse_energy(const Room& room, size_t octave, double t_s) {
  const double rate = 6 * std::numbers::ln10 / eyring_s(room, octave);
  return 16 * std::numbers::pi / area_m2(room, octave) * rate * std::exp(-rate * t_s);
}

double open_share(const Room& room) {
  double open = 0;
  for (size_t side = 0; side < 6; ++side)
    if (*std::ranges::min_element(room.absorption[side]) > 0.99) open += side_area(room, side);
  return open / room.surface();
}

void room_images(const Room& room, const Place& source, int order, std::vector<RoomImage>& into) {
  into.clear();
  // Powers of what each wall leaves of an amplitude.
  std::array<std::array<Octaves, 16>, 6> left;  // NOLINT
  for (size_t side = 0; side < 6; ++side)
    for (size_t b = 0; b < octave_count; ++b) {
      const double once =
          std::sqrt(std::pow(std::max(0.0, 1 - room.absorption[side][b]), 1 / room.decay) *
                    (1 - room.scatter));
      for (size_t n = 0; n < left[side].size(); ++n)
        left[side][n][b] = n == 0 ? 1 : left[side][n - 1][b] * once;
    }
  const auto add = [&](int i, int j, int k) {
    const Mirrored x = mirrored(source.x, room.size.x, i), y = mirrored(source.y, room.size.y, j),
                   z = mirrored(source.z, room.size.z, k);
    RoomImage image{.at = {x.at, y.at, z.at}, .order = std::abs(i) + std::abs(j) + std::abs(k)};
    image.turned = {i % 2 == 0 ? 1.0 : -1.0, j % 2 == 0 ? 1.0 : -1.0, k % 2 == 0 ? 1.0 : -1.0};
    const std::array<int, 6> met{x.low, x.high, y.low, y.high, z.low, z.high};
    for (size_t b = 0; b < octave_count; ++b) {
      image.gain[b] = 1;
      for (size_t side = 0; side < 6; ++side)
        image.gain[b] *= left[side][static_cast<size_t>(met[side])][b];
    }
    into.push_back(image);
  };
  add(0, 0, 0);
  for (int i = -order; i <= order; ++i)
    for (int j = -(order - std::abs(i)); j <= order - std::abs(i); ++j) {
      const int rest = order - std::abs(i) - std::abs(j);
      for (int k = -rest; k <= rest; ++k)
        if (i != 0 || j != 0 || k != 0) add(i, j, k);
    }
}

Place within_room(const Room& room, const Place& place, double margin, bool* moved) {
  const auto held = [margin](double v, double size) {
    const double m = std::min(margin, size / 4);
    return std::clamp(v, m, size - m);
  };
  const Place out{held(place.x, room.size.x), held(place.y, room.size.y),
                  held(place.z, room.size.z)};
  if (moved) *moved = (out - place).length() > 1e-9;
  return out;
}

}  // namespace drevan
