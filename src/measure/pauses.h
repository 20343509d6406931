// SPDX-License-Identifier: GPL-3.0-or-later
// Where somebody speaks in a long take, and where it is cut between.
#pragma once

#include <span>
#include <vector>

#include "measure/room_tone.h"

namespace drevan {

/// How a take is cut at its pauses; all in seconds but the last.
struct PauseRules {
  double least_pause_s = 0.5;  ///< what is shorter lies within a piece
  double least_piece_s = 0.4;  ///< what is shorter goes to its nearer neighbour
  double air_before_s = 0.15;  ///< kept before the first word
  double air_after_s = 0.25;   ///< kept behind the last one
  double above_room_db = 6;    ///< what is this much louder than the room is speech
  friend bool operator==(const PauseRules&, const PauseRules&) = default;
};

/// How far a sound stands out of its room, in frames of 10 ms: in that of the ear's bands where it
/// does so most. The room is followed through the take: it is what the quietest tenth of the 20 s
/// around is.
struct OutOfRoom {
  std::vector<float> above_db;
  std::vector<bool> lasts;  ///< above the room's own unrest: where speech goes on
};
/// Some 150 ms for two hours; from then on all rules are quick.
OutOfRoom out_of_room(std::span<const RoomEar::Frame> frames);

/// The stretches of frames in which somebody speaks, for at least 60 ms.
std::vector<FrameRange> speech_in(const OutOfRoom& sound, double above_room_db);

/// Pieces of a take as the rules cut it, in samples; none overlap. `frame`: samples of one frame;
/// `length`: of the take.
std::vector<FrameRange> pieces_at_pauses(const OutOfRoom& sound, int frame, Samples length,
                                         const PauseRules& rules);

}  // namespace drevan
