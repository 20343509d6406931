#include "dsp/band_levels.h"

#include <array>

#include "dsp/clones.h"
#include "dsp/eight.h"

namespace drevan {

namespace {

using Lane = BandBank::Lane;
constexpr float least = 1e-4F;

DREVAN_CLONES void follow_levels(Lane* __restrict level, size_t frames, float* __restrict now,
                                 float up, float down, size_t n) noexcept {
  const Eight rise = Eight{} + up, fall = Eight{} + down;
  for (size_t first = 0; first < n; first += BandBank::group) {
    Eight at;
    load(at, now + first);
    for (size_t i = 0; i < frames; ++i) {
      Eight in;
      load(in, level[i].data() + first);
      at += (in > at ? rise : fall) * (in - at);
      store(level[i].data() + first, at);
    }
    store(now + first, at);
  }
}
DREVAN_CLONES void divide(Lane* __restrict x, const Lane* __restrict level, size_t frames,
                          size_t n) noexcept {
  for (size_t i = 0; i < frames; ++i)
    for (size_t k = 0; k < n; ++k) x[i][k] /= level[i][k] + least;
}
DREVAN_CLONES void mix(Lane* __restrict x, const Lane* __restrict other,
                       const float* __restrict share, size_t frames, size_t n) noexcept {
  for (size_t i = 0; i < frames; ++i)
    for (size_t k = 0; k < n; ++k) x[i][k] += share[i] * (other[i][k] - x[i][k]);
}
DREVAN_CLONES float sum_of_bands(const float* __restrict carrier, const float* __restrict own,
                                 const float* __restrict voice, float even, size_t n) noexcept {
  std::array<float, 8> sums{};
  for (size_t k = 0; k < n; k += 8)
    for (size_t lane = 0; lane < 8; ++lane) {
      const size_t i = k + lane;
      const float flat = 1 / (own[i] + least);
      sums[lane] += carrier[i] * voice[i] * (1 + even * (flat - 1));
    }
  for (size_t lane = 0; lane < 4; ++lane) sums[lane] += sums[lane + 4];
  return (sums[0] + sums[1]) + (sums[2] + sums[3]);
}

}  // namespace

void BandLevels::follow(Lanes level, int n) noexcept {
  follow_levels(level.data(), level.size(), now.data(), up, down, static_cast<size_t>(n));
}

void even_out(Lanes x, Lanes level, int n) noexcept {
  divide(x.data(), level.data(), x.size(), static_cast<size_t>(n));
}

void blend(Lanes x, Lanes other, std::span<const float> share, int n) noexcept {
  mix(x.data(), other.data(), share.data(), x.size(), static_cast<size_t>(n));
}

void speak(Lanes carrier, Lanes own, Lanes voice, std::span<const float> even, std::span<float> out,
           int n) noexcept {
  for (size_t i = 0; i < out.size(); ++i)
    out[i] = sum_of_bands(carrier[i].data(), own[i].data(), voice[i].data(), even[i],
                          static_cast<size_t>(n));
}

}  // namespace drevan
