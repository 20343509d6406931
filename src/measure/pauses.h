// Where somebody speaks in a long take, and where it is cut between.
#pragma once

#include <span>
#include <vector>

#include "measure/room_tone.h"

namespace drevan {

/// How a take is cut at its pauses; all in seconds but the last.
struct PauseRules {
  double least_pause_s = 0.5;   ///< what is shorter lies within a piece
  double least_piece_s = 0.4;   ///< what is shorter goes to its nearer neighbour
  double air_before_s = 0.15;   ///< kept before the first word
  double air_after_s = 0.25;    ///< kept behind the last one
  double above_room_db = 6;     ///< what is this much louder than the room is speech
  friend bool operator==(const PauseRules&, const PauseRules&) = default;
};

/// The stretches of frames (of 10 ms) in which somebody speaks: louder than the room in one of the
/// ear's bands, for at least 60 ms. The room is followed through the take: it is
/// what the quietest tenth of the 20 s around is. Some 5 ms for two hours.
std::vector<FrameRange> speech_in(std::span<const RoomEar::Frame> frames, double above_room_db);

/// Pieces of a take as the rules cut it, in samples of the ear's stream; none overlap. `length`: of
/// the take.
std::vector<FrameRange> pieces_at_pauses(const RoomEar& ear, Samples length,
                                         const PauseRules& rules);

}  // namespace drevan
