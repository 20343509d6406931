// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds that come from no recording: tone, noise, silence, room tone of any length.
#pragma once

#include <filesystem>

#include "audio/progress.h"
#include "reel/reel.h"

namespace drevan {

enum class MadeKind {
  tone,         ///< a sine
  pink_noise,   ///< of one power in every octave
  white_noise,  ///< of one power in every Hz
  silence,      ///< digital
  room_tone,    ///< of a group, see longer_room_tone()
};

struct MadeSound {
  MadeKind kind = MadeKind::tone;
  double seconds = 10;
  /// Of a tone its peak; of noise as a tone of the same power has it (AES17). Room tone has its own.
  double level_dbfs = -20;
  double hz = 1000;  ///< of a tone
};
inline constexpr double least_made_s = 0.1, most_made_s = 4 * 3600;
inline constexpr double least_made_db = -90, most_made_db = 0;
inline constexpr double least_made_hz = 20, most_made_hz = 20000;

/// "Tone 1 kHz", "Pink noise", "Silence", "Room tone".
std::string name_of(const MadeSound& sound);

/// Written as 32-bit float WAV at the reel's rate, mono (room tone: as wide as its clip), faded over
/// 5 ms at either end. The same wishes give the same bits. Atomic; nothing is written over. Throws
/// Error(call): a value that is out of range, a tone beyond half the rate, a group without room
/// tone; Error(input), Error(output), Cancelled.
void make_sound(const Reel& reel, const MadeSound& sound, GroupId group,
                const std::filesystem::path& file, const CancelToken& cancel,
                const Progress& progress = {});

}  // namespace drevan
