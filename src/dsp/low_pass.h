// SPDX-License-Identifier: GPL-3.0-or-later
// A filter that lets the low through and is late by half its length, always.
#pragma once

#include <span>
#include <vector>

namespace drevan {

/// 2 * half + 1 weights of a low-pass under a Hamming window; -6 dB at `cut`, in cycles a sample.
std::vector<float> low_pass_taps(double cut, int half);

/// x[0] * taps[0] + ...; eight at a time. x holds as many as there are taps. Real-time safe.
float sum_of_taps(const float* x, std::span<const float> taps) noexcept;

}  // namespace drevan
