// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/convolve.h"

#include "dsp/clones.h"

namespace drevan {

namespace {

// Four taps at a time, so that y is fetched and stored a quarter as often.
DREVAN_CLONES void four_taps(const float* __restrict x, float h0, float h1, float h2, float h3,
                             float* __restrict y, std::ptrdiff_t n) noexcept {
  for (std::ptrdiff_t i = 0; i < n; ++i)
    y[i] += (h0 * x[i] + h1 * x[i - 1]) + (h2 * x[i - 2] + h3 * x[i - 3]);
}

// The same sums in the same order, with half the way to and from `y`.
DREVAN_CLONES void eight_taps(const float* __restrict x, const float* __restrict h,
                              float* __restrict y, std::ptrdiff_t n) noexcept {
  const float h0 = h[0], h1 = h[1], h2 = h[2], h3 = h[3], h4 = h[4], h5 = h[5], h6 = h[6],
              h7 = h[7];
  for (std::ptrdiff_t i = 0; i < n; ++i)
    y[i] = (y[i] + ((h0 * x[i] + h1 * x[i - 1]) + (h2 * x[i - 2] + h3 * x[i - 3]))) +
           ((h4 * x[i - 4] + h5 * x[i - 5]) + (h6 * x[i - 6] + h7 * x[i - 7]));
}

}  // namespace

void convolve_add(const float* x, std::span<const float> h, std::span<float> y) noexcept {
  size_t t = 0;
  for (; t + 8 <= h.size(); t += 8)
    eight_taps(x - t, h.data() + t, y.data(), static_cast<std::ptrdiff_t>(y.size()));
  for (; t + 4 <= h.size(); t += 4)
    four_taps(x - t, h[t], h[t + 1], h[t + 2], h[t + 3], y.data(),
              static_cast<std::ptrdiff_t>(y.size()));
}

}  // namespace drevan
