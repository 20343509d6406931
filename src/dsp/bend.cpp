// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/bend.h"

#include <algorithm>
#include <array>
#include <numbers>
#include <type_traits>

#include "dsp/clones.h"
#include "dsp/fast_math.h"

namespace drevan {

namespace {

// The difference of the areas under the curve is divided by that of the samples on paper, so that
// nothing is lost where they are close.
template <Bend kind>
using Kind = std::integral_constant<Bend, kind>;
inline float mean_between(Kind<Bend::soft>, float from, float to) noexcept {
  return (from + to) / (std::sqrt(1 + from * from) + std::sqrt(1 + to * to));
}
inline float mean_between(Kind<Bend::hard>, float from, float to) noexcept {
  const float a = std::min(std::max(from, -1.0F), 1.0F), b = std::min(std::max(to, -1.0F), 1.0F);
  const float way = to - from, share = (b - a) / (way == 0 ? 1.0F : way);
  return b + share * (from - (a + b) / 2);
}
inline float mean_between(Kind<Bend::fold>, float from, float to) noexcept {
  const float half_way = std::numbers::pi_v<float> / 4 * (to - from);
  const bool near = std::abs(half_way) < 1e-3F;
  const float weaker = fast_sine_of_turns((to - from) / 8) / (near ? 1.0F : half_way);
  return fast_sine_of_turns((from + to) / 8) * (near ? 1.0F : weaker);
}
inline float mean_between(Kind<Bend::rectify>, float from, float to) noexcept {
  const float a = std::abs(from), b = std::abs(to), sum = a + b;
  const bool crosses = from * to < 0;
  return crosses ? (a * a + b * b) / (2 * sum) : sum / 2;
}

template <Bend kind>
inline __attribute__((always_inline)) void add_mean(const float* __restrict from,
                                                    const float* __restrict to,
                                                    const float* __restrict share,
                                                    float* __restrict out, size_t n) noexcept {
  for (size_t i = 0; i < n; ++i) out[i] += share[i] * mean_between(Kind<kind>{}, from[i], to[i]);
}
DREVAN_CLONES void add_soft(const float* from, const float* to, const float* share, float* out,
                            size_t n) noexcept {
  add_mean<Bend::soft>(from, to, share, out, n);
}
// What nowhere passes +-1 is not bent: the same bits without the division.
inline __attribute__((always_inline)) bool all_within(const float* x, size_t n) noexcept {
  int beyond = 0;
  for (size_t i = 0; i < n; ++i) beyond |= std::abs(x[i]) > 1.0F ? 1 : 0;
  return beyond == 0;
}
DREVAN_CLONES void add_hard(const float* from, const float* to, const float* share, float* out,
                            size_t n) noexcept {
  if (!all_within(from, n) || !all_within(to, n))
    return add_mean<Bend::hard>(from, to, share, out, n);
  for (size_t i = 0; i < n; ++i) {
    const float a = from[i], b = to[i];
    out[i] += share[i] * (b + (a - (a + b) / 2));
  }
}
DREVAN_CLONES void add_folded(const float* from, const float* to, const float* share, float* out,
                              size_t n) noexcept {
  add_mean<Bend::fold>(from, to, share, out, n);
}
DREVAN_CLONES void add_rectified(const float* from, const float* to, const float* share, float* out,
                                 size_t n) noexcept {
  add_mean<Bend::rectify>(from, to, share, out, n);
}
using Add = void (*)(const float* from, const float* to, const float* share, float* out,
                     size_t n) noexcept;
// In the order of Bend.
constexpr std::array<Add, 4> adds{add_soft, add_hard, add_folded, add_rectified};

}  // namespace

double bent(Bend kind, double x) {
  switch (kind) {
    case Bend::soft:
      return x / std::sqrt(1 + x * x);
    case Bend::hard:
      return std::clamp(x, -1.0, 1.0);
    case Bend::fold:
      return std::sin(std::numbers::pi / 2 * x);
    default:
      return std::abs(x);
  }
}

void add_bent(Bend kind, const float* from, const float* to, const float* share, float* out,
              size_t n) noexcept {
  adds[static_cast<size_t>(kind)](from, to, share, out, n);
}

}  // namespace drevan
