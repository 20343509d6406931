// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/stft.h"

#include "dsp/clones.h"

namespace drevan {

namespace {

DREVAN_CLONES void multiply(const float* __restrict x, const float* __restrict w,
                            float* __restrict out, size_t n) noexcept {
  for (size_t i = 0; i < n; ++i) out[i] = x[i] * w[i];
}
// Reads ahead of where it writes, so it may run several at a time.
DREVAN_CLONES void shift_and_add(float* sum, const float* __restrict x, const float* __restrict w,
                                 size_t n, size_t hop) noexcept {
#pragma GCC ivdep
  for (size_t i = 0; i < n - hop; ++i) sum[i] = sum[i + hop] + x[i] * w[i];
  for (size_t i = n - hop; i < n; ++i) sum[i] = x[i] * w[i];
}
DREVAN_CLONES void shift_and_add_scaled(float* sum, const float* __restrict x,
                                        const float* __restrict w, size_t n, size_t hop,
                                        float gain) noexcept {
#pragma GCC ivdep
  for (size_t i = 0; i < n - hop; ++i) sum[i] = sum[i + hop] + gain * (x[i] * w[i]);
  for (size_t i = n - hop; i < n; ++i) sum[i] = gain * (x[i] * w[i]);
}

}  // namespace

void apply_window(std::span<const float> x, std::span<const float> window,
                  std::span<float> out) noexcept {
  multiply(x.data(), window.data(), out.data(), out.size());
}
void overlap_add(std::span<float> sum, std::span<const float> x, std::span<const float> window,
                 size_t hop) noexcept {
  shift_and_add(sum.data(), x.data(), window.data(), sum.size(), hop);
}
void overlap_add(std::span<float> sum, std::span<const float> x, std::span<const float> window,
                 size_t hop, float gain) noexcept {
  shift_and_add_scaled(sum.data(), x.data(), window.data(), sum.size(), hop, gain);
}

}  // namespace drevan
