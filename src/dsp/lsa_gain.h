// SPDX-License-Identifier: GPL-3.0-or-later
// The log-spectral amplitude gain of Y. Ephraim and D. Malah, "Speech enhancement using a minimum
// mean-square error log-spectral amplitude estimator", IEEE Trans. ASSP 33(2), 1985.
#pragma once

#include "dsp/fast_math.h"

namespace drevan {

inline constexpr float minus_log2_e = -1.44269504F;

/// log2 of the gain's exponential part, 0.5 E1(v) / ln 2 (eq. 20 there), for v > 0 and e = exp(-v).
/// By E1(v) = e ln(1 + c(v) / v): c runs from exp(-Euler's constant) at 0 to 1 and is fitted by a
/// ratio of polynomials. Error below 6e-4 (0.004 dB). Branch-free.
inline float lsa_exponent_log2(float v, float e) noexcept {
  const float c = (0.561459484F + v * (164.05009F + v * (2279.09845F + v * 2771.75072F))) /
                  (1.0F + v * (285.699934F + v * (3307.48146F + v * 2771.75072F)));
  return 0.5F * e * fast_log2(1.0F + c / v);
}
inline float lsa_exponent_log2(float v) noexcept {
  return lsa_exponent_log2(v, fast_exp2(minus_log2_e * v));
}

}  // namespace drevan
