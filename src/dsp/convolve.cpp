#include "dsp/convolve.h"

#include "dsp/clones.h"

namespace drevan {

namespace {

// Four taps at a time, so that y is fetched and stored a quarter as often.
DREVAN_CLONES void four_taps(const float* __restrict x, float h0, float h1, float h2, float h3, float* __restrict y,
                             std::ptrdiff_t n) noexcept {
  for (std::ptrdiff_t i = 0; i < n; ++i) y[i] += (h0 * x[i] + h1 * x[i - 1]) + (h2 * x[i - 2] + h3 * x[i - 3]);
}

}  // namespace

void convolve_add(const float* x, std::span<const float> h, std::span<float> y) noexcept {
  for (size_t t = 0; t + 4 <= h.size(); t += 4)
    four_taps(x - t, h[t], h[t + 1], h[t + 2], h[t + 3], y.data(), static_cast<std::ptrdiff_t>(y.size()));
}

}  // namespace drevan
