// SPDX-License-Identifier: GPL-3.0-or-later
// The acoustics step's settings as a scene, and the paths its source takes.
#pragma once

#include <array>
#include <vector>

#include "dsp/room_response.h"
#include "steps/places/acoustics_drawn.h"
#include "steps/step.h"

namespace drevan {

/// The step's parameters, in order.
struct AcousticsParameter {
  enum : int {
    width_m,
    length_m,
    height_m,
    floor,
    ceiling,
    front,
    back,
    left,
    right,
    furniture_pct,
    people,
    scatter_pct,
    decay_pct,
    bright_db,
    room_db,
    azimuth_deg,
    elevation_deg,
    distance_m,
    spread_deg,
    radiates,
    faces_deg,
    path,
    path_m,
    pace_m_s,
    travel,
    listener,
    turn_deg,
    stand_x_pct,
    stand_y_pct,
    level,
    placed,
    x_m,
    y_m,
    z_m,
    sides,
    low_end_db,
    part
  };
};

/// What of the place is heard.
enum class AcousticsPart : int {
  all,
  early,  ///< the source itself, and what comes by few walls
  late,   ///< the rest, which is the same for all who stand in it
};

/// Metres a source may be away, and the least.
inline constexpr double farthest_m = 200, nearest_m = 0.2;
/// What the late sound may last, s.
inline constexpr double longest_late_s = 9;
/// room_db at this end: no room at all.
inline constexpr double no_room_db = -40;

enum class SourcePath {
  none,
  ring,
  track,
  pass_by,
  to_and_fro,
  eight,
  spiral,
  drift,
  approach,
  drawn
};
/// Choices of `placed` and `sides`.
inline constexpr int placed_by_direction = 0, placed_in_room = 1;
inline constexpr int both_sides = 0, left_side_only = 1, right_side_only = 2;

/// Indices into the step's texts.
inline constexpr int ears_text = 0, drawn_text = 1;

/// In the order of AcousticsParameter.
std::vector<Parameter> acoustics_parameters();

/// All but the sources' places.
RoomScene room_scene(const Settings& settings);
/// Where the source is once it has gone `gone_m` along its path, `drawn` where that was drawn by
/// hand; inside the walls.
Place source_at(const Settings& settings, const RoomScene& scene, const DrawnPath& drawn,
                double gone_m, bool* held_back = nullptr);
/// Chosen to be placed otherwise, the source stays where it stood, as StepType::takes_over.
void keep_source_place(Settings& now, const Settings& before, int parameter);
/// Below this a vehicle is smaller than the sound: half a wave of its longest side.
double low_end_hz(const Settings& settings);
/// One source, or the two sides of a stereo sound.
void put_sources(const Settings& settings, const Place& at, int count, RoomScene& scene);

}  // namespace drevan
