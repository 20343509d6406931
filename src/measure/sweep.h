// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring a room or a device: a sweep to play there, and the response of what came back.
#pragma once

#include <optional>
#include <vector>

#include "audio/buffer.h"
#include "audio/progress.h"

namespace drevan {

/// A tone that rises by the same interval every second, at -6 dBFS.
struct SweepShape {
  double from_hz = 20, to_hz = 20000;
  double seconds = 10;
  double silence_s = 3;  ///< after it, for what rings on; half a second stands before it
};

/// The exponential sweep of A. Farina, "Simultaneous measurement of impulse response and distortion
/// with a swept-sine technique", AES 108th Convention, 2000: one channel, faded in and out over a
/// sixth of an octave; its end kept below 0.46 of the rate.
AudioBuffer make_sweep(const SweepShape& shape, double rate);

/// The response of a room or a device in which `sweep` (one channel) was played and `recording`
/// (1 to max_channels) came back, both at `rate`, begun at whatever moments: recording over sweep
/// as spectra, with what the sweep hardly holds left out (O. Kirkeby, P. A. Nelson, "Digital filter
/// design for inversion problems in sound reproduction", JAES 47, 1999). Distortion comes before
/// the response, as in Farina's method, and is left out with all that is earlier than 5 ms before
/// its first sound; what comes after it is lost in noise is faded out. Its peak is 0.7.
/// `longest_s`: of the response. Nullopt: the sweep is not in the recording. Throws Cancelled.
std::optional<AudioBuffer> response_of_sweep(const AudioBuffer& sweep, const AudioBuffer& recording,
                                             double rate, double longest_s,
                                             const CancelToken& cancel);

}  // namespace drevan
