// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures of a clip in time and frequency: before, after, and what is removed.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include "audio/progress.h"
#include "engine/playing/play_run.h"

namespace drevan {

/// Levels on a grid: columns in time, rows evenly spaced in pitch, the highest first. A cell is the
/// mean power of what it covers; 255 is 0 dB (a full-scale sine), each step below it half a dB.
struct Spectrogram {
  int columns = 0, rows = 0;
  double begin_s = 0, length_s = 0;     ///< of the clip, shown by all columns
  double low_hz = 40, high_hz = 20000;  ///< lower edge of the lowest row, upper edge of the first
  std::vector<std::uint8_t> before, after, removed;  ///< rows x columns

  static std::uint8_t cell(double power);
  static double level_db(std::uint8_t cell) { return (cell - 255) / 2.0; }
  double hz_of_row(double row) const;
};

/// Which part of a clip and how finely.
struct SpectrogramView {
  double begin_s = 0, length_s = 1;
  int columns = 800, rows = 160;
  /// Whether plain gain is left out of what is removed.
  bool matched = true;
};

/// Draws coarsely first and then ever more finely, telling each state: a part of an hour or an hour, the
/// first comes within half a second. A view that is long is looked at in places first, all of it last.
/// `plan->solo_step` counts as in PlayRun. Throws Error(input), Cancelled.
void draw_spectrogram(const std::shared_ptr<const PlayPlan>& plan, const SpectrogramView& view,
                      const CancelToken& cancel,
                      const std::function<void(const Spectrogram&)>& told);

}  // namespace drevan
