// SPDX-License-Identifier: GPL-3.0-or-later
// What the Scene adds to a reel: films, events, what clips feed into spaces, how it is recorded.
// Plain values.
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "audio/moment.h"
#include "reel/ids.h"
#include "steps/curve.h"

namespace drevan {

/// A film in the reel, never written to. `path` is absolute in memory, relative to the reel's
/// folder in its file where it can be.
struct Film {
  std::filesystem::path path;
  ReelTime place{};  ///< where its first picture stands
  friend bool operator==(const Film&, const Film&) = default;
};

/// A named mark.
struct Event {
  ReelTime at{};
  std::string name;
  EventId id = 0;  ///< its own in its reel, for ever; above 0
  friend bool operator==(const Event&, const Event&) = default;
};

/// Where somebody stands in a space whose chain begins with `acoustics`, seen from its listener. In
/// the units of that step's parameters.
struct SendPlace {
  double azimuth_deg = 0, elevation_deg = 0, distance_m = 2;
  /// Over time, in place of the number; see Send::level.
  std::optional<Curve> azimuth{}, distance{};
  friend bool operator==(const SendPlace&, const SendPlace&) = default;
};

/// How much of what leaves a clip's chains enters a space, and where in it.
struct Send {
  SpaceId space = 0;
  double level_db = 0;  ///< off_send_db or below: nothing
  /// Over time, in place of the number: seconds of the reel from the clip's beginning; of a group's
  /// send from the reel's.
  std::optional<Curve> level{};
  std::optional<SendPlace> place{};  ///< empty: where the space's own step has it
  friend bool operator==(const Send&, const Send&) = default;
};
inline constexpr double off_send_db = -60, most_send_db = 0;

/// How the reel's recordings are written: WAV at the reel's rate.
struct RecordingFormat {
  bool floating = false;           ///< 32-bit float in place of 24 bit
  bool stereo = false;             ///< two inputs make one clip, in place of a clip for each
  std::filesystem::path folder{};  ///< absolute in memory, as Film::path; empty: beside the reel
  friend bool operator==(const RecordingFormat&, const RecordingFormat&) = default;
};

/// What kind of sound a group holds: the stems that a delivery asks for.
enum class GroupKind { dialogue, effects, music };

}  // namespace drevan
