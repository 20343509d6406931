// SPDX-License-Identifier: GPL-3.0-or-later
// Between interleaved and planar samples.
#pragma once

#include <bit>
#include <span>

#include "audio/buffer.h"

namespace drevan {

/// Fills all of `block` from frames x channels of `in`; NaN and infinity become 0.
inline void deinterleave_finite(std::span<const float> in, const AudioBlock& block) {
  const auto channels = static_cast<size_t>(block.channels());
  for (size_t c = 0; c < channels; ++c) {
    const auto out = block.channel(static_cast<int>(c));
    for (size_t i = 0; i < out.size(); ++i) {
      const float x = in[i * channels + c];
      out[i] = (std::bit_cast<std::uint32_t>(x) & 0x7f800000U) == 0x7f800000U ? 0.0F : x;
    }
  }
}

/// Writes all of `block` as frames x channels into `out`.
inline void interleave(const AudioBlock& block, std::span<float> out) {
  const auto channels = static_cast<size_t>(block.channels());
  for (size_t c = 0; c < channels; ++c) {
    const auto in = block.channel(static_cast<int>(c));
    for (size_t i = 0; i < in.size(); ++i) out[i * channels + c] = in[i];
  }
}

}  // namespace drevan
