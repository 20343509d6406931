#include "dsp/band_bank.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "dsp/clones.h"
#include "dsp/eight.h"

namespace drevan {

namespace {

double to_erb(double hz) { return 21.4 * std::log10(1 + 0.00437 * hz); }
double from_erb(double erb) { return (std::pow(10, erb / 21.4) - 1) / 0.00437; }

// Two filters alike are as much narrower than one.
const double pair_narrower = std::sqrt(std::numbers::sqrt2 - 1);

struct Coefficients {
  const float *g, *a1, *a2, *loud;
};
struct State {
  float *a, *b, *c, *d;
};

// What the next states are of those before and of what enters: short, because each waits for the
// last.
struct Section {
  Eight s1, s2;
  inline __attribute__((always_inline)) void step(const Eight& x, const Eight& own_1,
                                                  const Eight& cross_1, const Eight& in_1,
                                                  const Eight& own_2, const Eight& cross_2,
                                                  const Eight& in_2) noexcept {
    const Eight next = own_1 * s1 + (in_1 * x - cross_1 * s2);
    s2 = own_2 * s2 + (in_2 * x + cross_2 * s1);
    s1 = next;
  }
};

// Some groups of eight bands through both filters, frame by frame; they fill each other's pauses.
template <size_t groups>
inline __attribute__((always_inline)) void filter(BandBank::Lane* __restrict x,
                                                  BandBank::Lane* __restrict level, size_t frames,
                                                  size_t first, const Coefficients& by,
                                                  const State& state) noexcept {
  Eight g[groups], a1[groups], a2[groups], loud[groups];                               // NOLINT
  Eight own_1[groups], cross_1[groups], own_2[groups], cross_2[groups], in_2[groups];  // NOLINT
  Section before[groups], behind[groups];                                              // NOLINT
  for (size_t j = 0; j < groups; ++j) {
    const size_t at = first + 8 * j;
    load(g[j], by.g + at);
    load(a1[j], by.a1 + at);
    load(a2[j], by.a2 + at);
    load(loud[j], by.loud + at);
    load(before[j].s1, state.a + at);
    load(before[j].s2, state.b + at);
    load(behind[j].s1, state.c + at);
    load(behind[j].s2, state.d + at);
    own_1[j] = 2 * a1[j] - 1;
    cross_1[j] = 2 * a2[j];
    in_2[j] = 2 * g[j] * a2[j];
    own_2[j] = 1 - in_2[j];
    cross_2[j] = 2 * g[j] * a1[j];
  }
  for (size_t i = 0; i < frames; ++i)
    for (size_t j = 0; j < groups; ++j) {
      const size_t at = first + 8 * j;
      Eight in;
      load(in, x[i].data() + at);
      const Eight between = loud[j] * (a1[j] * before[j].s1 + a2[j] * (in - before[j].s2));
      before[j].step(in, own_1[j], cross_1[j], cross_1[j], own_2[j], cross_2[j], in_2[j]);
      const Eight band = a1[j] * behind[j].s1 + a2[j] * (between - behind[j].s2);
      const Eight low = behind[j].s2 + g[j] * band;
      behind[j].step(between, own_1[j], cross_1[j], cross_1[j], own_2[j], cross_2[j], in_2[j]);
      store(x[i].data() + at, loud[j] * band);
      store(level[i].data() + at, loud[j] * loud[j] * (band * band + low * low));
    }
  for (size_t j = 0; j < groups; ++j) {
    const size_t at = first + 8 * j;
    store(state.a + at, before[j].s1);
    store(state.b + at, before[j].s2);
    store(state.c + at, behind[j].s1);
    store(state.d + at, behind[j].s2);
  }
}

DREVAN_CLONES void band_pass(BandBank::Lane* __restrict x, BandBank::Lane* __restrict level,
                             size_t frames, size_t bands, const Coefficients& by,
                             const State& state) noexcept {
  size_t first = 0;
  for (; first + 16 <= bands; first += 16) filter<2>(x, level, frames, first, by, state);
  if (first < bands) filter<1>(x, level, frames, first, by, state);
}

DREVAN_CLONES void take_roots(BandBank::Lane* __restrict x, size_t frames, size_t n) noexcept {
  for (size_t i = 0; i < frames; ++i)
    for (size_t k = 0; k < n; ++k) x[i][k] = std::sqrt(x[i][k]);
}

}  // namespace

double BandPlan::edge_hz(double i) const {
  const double low = to_erb(lowest_hz), high = to_erb(highest_hz);
  return from_erb(low + (high - low) * i / count);
}

void BandBank::set(const BandPlan& plan, double ratio, double rate) noexcept {
  padded_ = (plan.count + group - 1) / group * group;
  for (int i = 0; i < padded_; ++i) {
    const auto k = static_cast<size_t>(i);
    const double hz = plan.centre_hz(i) * ratio;
    if (i >= plan.count || hz > 0.45 * rate) {
      g_[k] = a1_[k] = a2_[k] = loud_[k] = 0;
      continue;
    }
    const double q = plan.centre_hz(i) / plan.width_hz(i) * pair_narrower;
    const double g = std::tan(std::numbers::pi * hz / rate), d = 1 / (1 + g * (g + 1 / q));
    g_[k] = static_cast<float>(g);
    a1_[k] = static_cast<float>(d);
    a2_[k] = static_cast<float>(g * d);
    loud_[k] = static_cast<float>(1 / q);
  }
}

void BandBank::process(std::span<Lane> x, std::span<Lane> level) noexcept {
  const Coefficients by{g_.data(), a1_.data(), a2_.data(), loud_.data()};
  const State state{states_.a.data(), states_.b.data(), states_.c.data(), states_.d.data()};
  band_pass(x.data(), level.data(), x.size(), static_cast<size_t>(padded_), by, state);
  take_roots(level.data(), level.size(), static_cast<size_t>(padded_));
}

// Each filter's group delay at its middle is 2 Q / omega.
double BandBank::late(const BandPlan& plan, int band, double rate) {
  return 2 * pair_narrower / (std::numbers::pi * plan.width_hz(band)) * rate;
}

}  // namespace drevan
