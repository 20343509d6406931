// SPDX-License-Identifier: GPL-3.0-or-later
// A sweep as a file, and the response that is made of what came back.
#pragma once

#include <filesystem>

#include "measure/sweep.h"

namespace drevan {

/// A WAV file of 24 bit, one channel. Throws Error(call): a rate, corners or a length that cannot
/// be; Error(output).
void write_sweep(const std::filesystem::path& file, const SweepShape& shape, double rate);

/// What was made.
struct MadeResponse {
  int channels = 0;
  double rate = 0, seconds = 0;
  double t60_s = 0;  ///< seconds to fall by 60 dB; 0: too short to tell
};

/// Writes the response of what came back in `recording` when `sweep` was played, as a WAV file of
/// 32 bit float with the recording's rate and channels, for the convolution step; see
/// response_of_sweep(). Throws Error(input): not to be read, too long, the sweep is not in it;
/// Error(output), Cancelled.
MadeResponse make_response(const std::filesystem::path& sweep,
                           const std::filesystem::path& recording, const std::filesystem::path& out,
                           const CancelToken& cancel);

}  // namespace drevan
