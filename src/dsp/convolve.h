// SPDX-License-Identifier: GPL-3.0-or-later
// Short filters over blocks.
#pragma once

#include <span>

namespace drevan {

/// y[i] += sum over t of h[t] * x[i - t], for i in y. `x` points at the first sample of the block and
/// has h.size() - 1 samples before it. h.size() is a multiple of 4. The order of the sum is fixed: same
/// bits on every machine and for every block size. Real-time safe.
void convolve_add(const float* x, std::span<const float> h, std::span<float> y) noexcept;

}  // namespace drevan
