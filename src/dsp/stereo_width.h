// SPDX-License-Identifier: GPL-3.0-or-later
// How wide a stereo sound stands.
#pragma once

#include <cmath>
#include <cstddef>

namespace drevan {

/// Its sides `width[i]` times as strong against its middle, and as loud at every width; in place.
/// Real-time safe.
inline void set_width(float* left, float* right, const float* width, std::size_t n) noexcept {
  for (std::size_t i = 0; i < n; ++i) {
    const float middle = (left[i] + right[i]) / 2, side = (left[i] - right[i]) / 2;
    const float even = std::sqrt(2 / (1 + width[i] * width[i]));
    left[i] = even * (middle + width[i] * side);
    right[i] = even * (middle - width[i] * side);
  }
}

}  // namespace drevan
