// SPDX-License-Identifier: GPL-3.0-or-later
// Logarithm and exponential to base 2 for spectra, and the sine: branch-free, so that the compiler
// turns loops of them into SIMD code. Same bits on every machine.
#pragma once

#include <bit>
#include <cstdint>

namespace drevan {

/// log2(x) for finite x > 0 (not denormal); error below 1e-4 (a thousandth of a decibel).
/// By the series of the inverse hyperbolic tangent.
inline float fast_log2(float x) noexcept {
  const auto bits = std::bit_cast<std::int32_t>(x);
  // Split at sqrt(1/2), so that the mantissa lies in [0.7071, 1.4142) and log2 near 0.
  const std::int32_t shifted = bits - 0x3f3504f3;
  const std::int32_t exponent = shifted >> 23;
  const float m = std::bit_cast<float>(bits - (exponent << 23)) - 1.0F;
  // ln(1+m)/ln2 by the atanh series: s = m / (2 + m).
  const float s = m / (2.0F + m);
  const float s2 = s * s;
  const float series =
      s * (2.885390082F + s2 * (0.961796694F + s2 * (0.577078016F + s2 * 0.412198583F)));
  return static_cast<float>(exponent) + series;
}

/// 2^x for x in [-126, 126]; relative error below 1e-5.
inline float fast_exp2(float x) noexcept {
  const float clamped = x < -126.0F ? -126.0F : (x > 126.0F ? 126.0F : x);
  const float shifted = clamped + 12582912.0F;  // 1.5 * 2^23: rounds to nearest
  const auto whole = std::bit_cast<std::int32_t>(shifted) - 0x4b400000;
  const float f = clamped - (shifted - 12582912.0F);  // -0.5 .. 0.5
  // Taylor series of 2^f.
  const float p =
      1.0F +
      f * (0.693147181F +
           f * (0.240226507F + f * (0.0555041087F + f * (0.00961812911F + f * 0.00133335581F))));
  return std::bit_cast<float>(std::bit_cast<std::int32_t>(p) + (whole << 23));
}

/// sin(2 pi turns) for |turns| below 1e5; error below 1e-6 beside that of `turns` itself.
inline float fast_sine_of_turns(float turns) noexcept {
  const float shifted = turns + 12582912.0F;  // 1.5 * 2^23: rounds to nearest
  const float part = turns - (shifted - 12582912.0F);
  // Back from beyond a quarter turn.
  const float over = part > 0.25F ? 0.5F - part : part, r = part < -0.25F ? -0.5F - part : over;
  const float x = 6.28318531F * r, s = x * x;
  // Taylor series.
  return x * (1.0F + s * (-1.66666667e-1F +
                          s * (8.33333333e-3F + s * (-1.98412698e-4F +
                                                     s * (2.75573192e-6F + s * -2.50521084e-8F)))));
}

}  // namespace drevan
