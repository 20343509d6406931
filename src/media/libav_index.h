// SPDX-License-Identifier: GPL-3.0-or-later
// Where every packet of a sound stream belongs, to the sample. Private to media.
#pragma once

#include <filesystem>
#include <memory>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// Made by going through all packets once. Time comes from the time stamps: what is missing between two
/// packets is a gap. Stamps that waver by less than half a packet, or by what their clock can tell, are taken
/// as one after the other, so that the same sample has the same place however it is come by.
struct LibavIndex {
  struct Packet {
    std::int64_t pts = 0;
    Samples place = 0;
  };
  std::vector<Packet> packets;   ///< by pts
  std::vector<FrameRange> gaps;  ///< of a twentieth of a second to longest_gap_s
  /// Where stamps jump further than that, or gaps would be more than longest_gaps_s: they are not
  /// believed, and what follows stands right there.
  std::vector<Samples> jumps{};
  Samples frames = 0;  ///< to the end of the last packet; counted, not promised
  std::int64_t zero =
      0;  ///< the stamp of place 0: where picture or sound begins, whichever is first
  std::int64_t first = 0;      ///< the stamp of the first packet
  double rate = 48000;         ///< Hz
  double frames_per_tick = 1;  ///< of the stamps' clock

  /// The place of a decoded frame of `count` frames that bears the stamp `pts` (AV_NOPTS_VALUE: it follows).
  /// `position`: the end of the frame before it; below 0: not known.
  Samples place_of(std::int64_t pts, Samples position, Samples count) const;
};

inline constexpr double longest_gap_s = 600;
/// And all of them together.
inline constexpr double longest_gaps_s = 3600;

/// Kept for files that were not changed since. Throws Error(input).
std::shared_ptr<const LibavIndex> libav_index(const std::filesystem::path& file);

}  // namespace drevan
