// SPDX-License-Identifier: GPL-3.0-or-later
// A short piece of sound read at any speed.
#pragma once

#include <span>

namespace drevan {

/// out[i] = the sound at place + i * pace of `x`, in samples, by a windowed sinc of 32 taps
/// (Kaiser, beta 8), cut off where a faster pace would fold it over. pace: 0.25 to 4. x must reach
/// 16 * max(1, pace) samples to either side. Whole places at pace 1 are copied. Real-time safe.
void read_piece(const float* x, double place, double pace, std::span<float> out) noexcept;

/// Makes the tables ready: before the real-time thread needs them.
void prepare_pieces();

}  // namespace drevan
