// SPDX-License-Identifier: GPL-3.0-or-later
// What a loudspeaker is made of, as its description tells.
#pragma once

#include <array>
#include <cstddef>
#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "dsp/bend.h"

namespace drevan {

/// How its cone meets the air.
enum class SpeakerBox { closed, vented, open, horn };

/// A peak of a cone or a box, or a dip.
struct SpeakerPeak {
  double hz, db, q;
};

/// One point of a measured response.
struct SpeakerPoint {
  double hz, db;
};

/// At most so many, so that a device is copied without allocation.
struct SpeakerPeaks {
  std::array<SpeakerPeak, 12> at{};
  size_t count = 0;
  auto begin() { return at.begin(); }
  auto end() { return at.begin() + static_cast<std::ptrdiff_t>(count); }
  auto begin() const { return at.begin(); }
  auto end() const { return at.begin() + static_cast<std::ptrdiff_t>(count); }
};

/// A loudspeaker as it is when new, driven as it was made for. Levels are those of a tone at its
/// input.
struct Speaker {
  SpeakerBox box = SpeakerBox::closed;
  double resonance_hz = 100, q = 0.7;  ///< of the cone in its box (Thiele and Small's f and Q)
  double port_hz = 0;                  ///< vented: of its port
  double path_m = 0;                   ///< open: from the cone's front to its back
  double horn_hz = 0, horn_m = 0;      ///< horn: where it begins to work, its length
  double upper_hz = 20000;             ///< -3 dB; 20000: none
  double upper_slope_db = 12;          ///< an octave: 12 or 24
  SpeakerPeaks break_up;               ///< of the cone: they age with it
  SpeakerPeaks cabinet;
  double radius_mm = 50;  ///< of what moves the air: cone or mouth
  double line_m = 0;      ///< of a column of cones, 0: one
  double box_m = 0.3;     ///< width of the box: what is longer than it goes round
  double clip_dbfs = 0;   ///< where the amplifier clips
  Bend clip = Bend::hard;
  double bias = 0;            ///< how lopsided the amplifier is, 0 to 1
  double excursion_dbfs = 0;  ///< where a tone far below the resonance doubles the cone's stiffness
  double rattle_hz = 2500, rattle_at_dbfs = 0, rattle_db = -60;  ///< -60: tight
  /// Instead of all that is above but limits and rattle; nullptr: none.
  std::shared_ptr<const std::vector<SpeakerPoint>> measured;
  double measured_up = 1;  ///< its frequencies moved by this factor
};

/// A loudspeaker under a name.
struct SpeakerDevice {
  std::string id, label;
  Speaker speaker;
};

/// Those that come with the program, in the order of the step's list.
std::span<const SpeakerDevice> speaker_devices();

/// One that a user describes: a .json file of the same kind, or a table of "Hz, dB" lines. Throws
/// Error(input) that names the file and what is wrong.
SpeakerDevice read_speaker_device(const std::filesystem::path& file);
/// The same, remembered while the file stays as it is.
std::optional<SpeakerDevice> known_speaker_device(const std::filesystem::path& file);
/// What is wrong with such a file ("has no field \"q\""); empty: nothing.
std::string speaker_file_fault(std::string_view file);

}  // namespace drevan
