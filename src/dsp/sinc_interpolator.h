// SPDX-License-Identifier: GPL-3.0-or-later
// The sound between the samples, for a tape that runs at any speed.
#pragma once

#include <span>

namespace drevan {

/// Band-limited interpolation by a windowed sinc (J. O. Smith, P. Gossett, "A Flexible Sampling-Rate Conversion
/// Method", ICASSP 1984): Kaiser window, 64 zero crossings on either side, stop band 100 dB down.
class SincInterpolator {
 public:
  static constexpr int crossings = 64;
  /// How many samples on either side of a place are needed where the sound runs `pace` times as fast.
  static int reach(double pace) { return static_cast<int>(crossings * (pace > 1 ? pace : 1)) + 2; }
  /// The value at `place`, counted in samples from the front of `x`; `pace`: samples of `x` from one value to the
  /// next. Above 1 what would not fit into the slower stream is filtered out. `x` must reach() beyond `place`.
  static double at(std::span<const float> x, double place, double pace);
};

}  // namespace drevan
