// SPDX-License-Identifier: GPL-3.0-or-later
// Curves that bend a waveform, without the aliasing that their values at samples would have.
#pragma once

#include <cmath>
#include <cstddef>

namespace drevan {

/// x / sqrt(1 + x^2); x held to -1 .. 1; sin(pi/2 x); |x|.
enum class Bend { soft, hard, fold, rectify };

double bent(Bend kind, double x);

/// The mean of the curve between `from[i]` and `to[i]` instead of its value at samples: what would
/// alias is weaker by that much (J. D. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing
/// of nonlinear waveshaping using continuous-time convolution", DAFx 2016). Added to `out`, times
/// `share[i]`. `from` is `to` one sample earlier. Real-time safe.
void add_bent(Bend kind, const float* from, const float* to, const float* share, float* out,
              size_t n) noexcept;

}  // namespace drevan
