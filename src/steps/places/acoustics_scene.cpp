// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/places/acoustics_scene.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "steps/places/acoustics_places.h"

namespace drevan {

namespace {

using P = AcousticsParameter;
using std::numbers::pi;

// How much weaker a source is behind than in front, by octave: a voice (after W. T. Chu, A. C. C.
// Warnock, "Detailed directivity of sound fields around human talkers", NRC Canada, 2002, from
// memory), a loudspeaker in a box (an estimate).
constexpr std::array<Octaves, 3> weaker_behind_db{
    {{}, {1, 2, 4, 6, 8, 11, 15, 19}, {0, 1, 3, 6, 10, 15, 20, 24}}};

// Even in 0 to 1 for each place in a list.
double chance(unsigned i, unsigned what) {
  unsigned h = i * 0x9E3779B1U + what * 0x85EBCA6BU;
  h ^= h >> 15;
  h *= 0x2C1B3C6DU;
  h ^= h >> 13;
  return static_cast<double>(h % 65536) / 65536;
}

// Trees and houses round the listener; a few throw most of it back.
void put_echoes(const Settings& s, RoomScene& scene) {
  scene.echo_count = static_cast<size_t>(
      std::lround(s[P::furniture_pct] / 100 * static_cast<double>(scene.echoes.size())));
  for (unsigned i = 0; i < scene.echo_count; ++i) {
    const double angle = 2 * pi * chance(i, 1), away = 6 + 60 * chance(i, 2) * chance(i, 3);
    scene.echoes[i] = {scene.listener + Place{away * std::sin(angle), away * std::cos(angle),
                                              1 + 3 * chance(i, 4)},
                       0.3 + 2.5 * chance(i, 5) * chance(i, 5)};
  }
}

Place direction(double azimuth_deg, double elevation_deg) {
  const double a = azimuth_deg * pi / 180, e = elevation_deg * pi / 180;
  return {std::sin(a) * std::cos(e), std::cos(a) * std::cos(e), std::sin(e)};
}

// To and fro between 0 and 1, turning softly.
double swing(double cycles) { return 0.5 - 0.5 * std::cos(2 * pi * cycles); }
double wander(double cycles, double seed) {
  return 0.6 * std::sin(2 * pi * cycles + seed) + 0.3 * std::sin(2 * pi * 2.3 * cycles + 2 * seed) +
         0.1 * std::sin(2 * pi * 5.1 * cycles + 3 * seed);
}
// Round a rectangle, twice as long as it is wide, in turns.
Place on_track(double turns, double size) {
  const double at = (turns - std::floor(turns)) * 6;
  const double half = size / 2, side = size / 4;
  if (at < 2) return {-half + size * at / 2, side, 0};
  if (at < 3) return {half, side - (at - 2) * 2 * side, 0};
  if (at < 5) return {half - size * (at - 3) / 2, -side, 0};
  return {-half, -side + (at - 5) * 2 * side, 0};
}

}  // namespace

RoomScene room_scene(const Settings& s) {
  RoomScene scene;
  Room& room = scene.room;
  room.size = {s[P::width_m], s[P::length_m], s[P::height_m]};
  const auto materials = surface_materials();
  const std::array<std::pair<RoomSide, int>, 6> sides{{{floor_side, P::floor},
                                                       {ceiling_side, P::ceiling},
                                                       {front_side, P::front},
                                                       {back_side, P::back},
                                                       {left_side, P::left},
                                                       {right_side, P::right}}};
  for (const auto& [side, parameter] : sides)
    room.absorption[side] =
        materials[static_cast<size_t>(s[static_cast<size_t>(parameter)])].absorption;
  const double furnished = s[P::furniture_pct] / 100 * room.size.x * room.size.y;
  for (size_t b = 0; b < octave_count; ++b) {
    room.objects_m2[b] = s[P::people] * person_m2[b] + furnished * furniture[b];
    scene.room_bright[b] =
        from_db(s[P::bright_db] * std::clamp(std::log2(octave_hz[b] / 1000) / 3, -1.0, 1.0));
  }
  room.decay = s[P::decay_pct] / 100;
  // Not longer than can be kept.
  double longest = 0;
  for (size_t b = 0; b < octave_count; ++b) longest = std::max(longest, eyring_s(room, b));
  room.decay *= std::min(1.0, longest_late_s / 1.3 / longest);
  room.scatter = s[P::scatter_pct] / 100;
  scene.listener =
      within_room(room,
                  {room.size.x * s[P::stand_x_pct] / 100, room.size.y * s[P::stand_y_pct] / 100,
                   std::min(1.6, 0.6 * room.size.z)},
                  0.1);
  scene.turn_deg = s[P::turn_deg];
  scene.kind = static_cast<ListenerKind>(static_cast<int>(s[P::listener]));
  scene.faces_deg = s[P::faces_deg];
  scene.back_db = weaker_behind_db[static_cast<size_t>(s[P::radiates])];
  scene.room_gain = s[P::room_db] <= no_room_db ? 0 : from_db(s[P::room_db]);
  if (open_share(room) > 0.6) put_echoes(s, scene);
  return scene;
}

Place source_at(const Settings& s, const RoomScene& scene, const DrawnPath& drawn, double gone,
                bool* held_back) {
  double away = s[P::distance_m], azimuth = s[P::azimuth_deg], elevation = s[P::elevation_deg];
  if (s[P::placed] == placed_in_room) {
    const Place way = Place{s[P::x_m], s[P::y_m], s[P::z_m]} - scene.listener;
    away = std::max(way.length(), nearest_m);
    azimuth = std::atan2(way.x, way.y) * 180 / pi;
    elevation = std::asin(std::clamp(way.z / away, -1.0, 1.0)) * 180 / pi;
  }
  const double size = s[P::path_m];
  double radius = away;
  Place off;
  // Across the line from the listener to the source.
  const Place ahead = direction(azimuth, 0), across{ahead.y, -ahead.x, 0};
  const double along = gone / std::max(size, 0.1);
  switch (static_cast<SourcePath>(static_cast<int>(s[P::path]))) {
    case SourcePath::none:
      break;
    case SourcePath::ring:
      azimuth += gone / std::max(away, nearest_m) * 180 / pi;
      break;
    case SourcePath::track: {
      const Place p = on_track(along / 3, size);
      off = across * p.x + ahead * p.y;
      break;
    }
    case SourcePath::pass_by:
      off = across * (std::clamp(gone, 0.0, size) - size / 2);
      if (gone < 0) off = across * (size / 2 - std::min(-gone, size));
      break;
    case SourcePath::to_and_fro:
      off = across * ((swing(along / pi) - 0.5) * size);
      break;
    case SourcePath::eight:
      off = across * (size / 2 * std::sin(2 * along)) + ahead * (size / 4 * std::sin(4 * along));
      break;
    case SourcePath::spiral:
      azimuth += 360 * gone / (2 * pi * std::max(0.6 * away, nearest_m));
      radius = away * (1 - 0.85 * swing(gone / (8 * pi * std::max(away, nearest_m))));
      break;
    case SourcePath::drift:
      off = across * (size / 2 * wander(along / 4, 1)) + ahead * (size / 2 * wander(along / 5, 2));
      break;
    case SourcePath::approach:
      radius = std::clamp(away - gone, std::min(0.5, away), farthest_m);
      break;
    case SourcePath::drawn:
      off = drawn.at(gone);
      break;
  }
  const Place at = scene.listener + direction(azimuth, elevation) * radius + off;
  return within_room(scene.room, at, 0.15, held_back);
}

void keep_source_place(Settings& now, const Settings& before, int parameter) {
  if (parameter != P::placed) return;
  const RoomScene scene = room_scene(before);
  Settings standing = before;
  standing.values[P::path] = static_cast<int>(SourcePath::none);
  const Place at = source_at(standing, scene, {}, 0);
  const Place way = at - scene.listener;
  const double away = way.length();
  static const std::vector<Parameter> parameters = acoustics_parameters();
  const auto put = [&](size_t index, double value) {
    now.values[index] = std::clamp(value, parameters[index].least, parameters[index].most);
  };
  if (now[P::placed] == placed_in_room) {
    put(P::x_m, at.x);
    put(P::y_m, at.y);
    put(P::z_m, at.z);
  } else {
    put(P::azimuth_deg, std::atan2(way.x, way.y) * 180 / pi);
    put(P::elevation_deg,
        std::asin(std::clamp(way.z / std::max(away, nearest_m), -1.0, 1.0)) * 180 / pi);
    put(P::distance_m, away);
  }
}

double low_end_hz(const Settings& s) {
  return sound_m_s / (2 * std::max({s[P::width_m], s[P::length_m], s[P::height_m]}));
}

void put_sources(const Settings& s, const Place& at, int count, RoomScene& scene) {
  scene.source_count = count;
  if (count == 1) {
    scene.sources[0] = at;
    return;
  }
  const Place way = at - scene.listener;
  for (int i = 0; i < 2; ++i) {
    const double a = (i == 0 ? -1 : 1) * s[P::spread_deg] / 2 * pi / 180;
    const Place side{std::cos(a) * way.x + std::sin(a) * way.y,
                     std::cos(a) * way.y - std::sin(a) * way.x, way.z};
    scene.sources[static_cast<size_t>(i)] = within_room(scene.room, scene.listener + side, 0.15);
  }
}

}  // namespace drevan
