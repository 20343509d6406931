// SPDX-License-Identifier: GPL-3.0-or-later
// Sums and extremes of samples, several at a time.
#pragma once

#include <span>
#include <utility>

namespace drevan {

/// Sum of x^2. Summed in float over 64 samples, in double beyond: exact to about 1e-6. The order
/// of the sum is fixed: same bits on every machine.
double sum_of_squares(std::span<const float> x) noexcept;

/// Sum of a * b over the shorter of the two; as sum_of_squares().
double sum_of_products(std::span<const float> a, std::span<const float> b) noexcept;

/// The least and the largest sample; 0 and 0 for no samples.
std::pair<float, float> least_and_most(std::span<const float> x) noexcept;

/// Largest magnitude; 0 for no samples. NaN counts as larger than anything.
float largest_magnitude(std::span<const float> x) noexcept;

}  // namespace drevan
