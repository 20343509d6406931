// SPDX-License-Identifier: GPL-3.0-or-later
// What a line lets through.
#pragma once

#include <algorithm>

#include "dsp/filter_bank.h"

namespace drevan {

/// Cuts of 24 dB an octave at both ends; none at the upper one where the stream ends lower.
inline FilterSlots line_band(double low_hz, double high_hz, double rate) {
  FilterSlots out;
  for (int k = 0; k < 2; ++k) {
    const double q = butterworth_q(4, k);
    out[static_cast<size_t>(k)] =
        design_biquad(BiquadKind::high_pass, std::min(low_hz, 0.45 * rate), q, 0, rate);
    if (high_hz < 0.49 * rate)
      out[static_cast<size_t>(4 + k)] = design_biquad(BiquadKind::low_pass, high_hz, q, 0, rate);
  }
  return out;
}

}  // namespace drevan
