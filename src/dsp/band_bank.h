// SPDX-License-Identifier: GPL-3.0-or-later
// A sound in many narrow bands at once.
#pragma once

#include <array>
#include <span>

#include "dsp/eight.h"

namespace drevan {

/// Where `count` bands lie between two frequencies, each as wide for the ear: evenly on the scale
/// of equivalent rectangular bandwidths (B. R. Glasberg and B. C. J. Moore, "Derivation of auditory
/// filter shapes from notched-noise data", Hearing Research 47, 1990).
struct BandPlan {
  double lowest_hz = 100, highest_hz = 8000;
  int count = 24;
  double edge_hz(double i) const;  ///< 0: the lowest edge, count: the highest
  double centre_hz(int band) const { return edge_hz(band + 0.5); }
  double width_hz(int band) const { return edge_hz(band + 1) - edge_hz(band); }
};

/// Eight band-passes of the fourth order: two state-variable filters one behind the other (V.
/// Zavalishin, "The Art of VA Filter Design", 2012).
struct EightBands {
  using Values = std::array<float, 8>;
  Values g{}, a1{}, a2{}, loud{};  ///< what the corners and the widths ask for
  std::array<Values, 4> states{};
};

/// They at work. For locals of one function: how an Eight lies in memory depends on the
/// instructions a function is compiled for. Real-time safe.
struct EightBandsAtWork {
  Eight g, a1, a2, loud, s[4];  // NOLINT

  inline __attribute__((always_inline)) explicit EightBandsAtWork(const EightBands& from) noexcept {
    load(g, from.g.data());
    load(a1, from.a1.data());
    load(a2, from.a2.data());
    load(loud, from.loud.data());
    for (size_t i = 0; i < 4; ++i) load(s[i], from.states[i].data());
  }
  inline __attribute__((always_inline)) void keep(EightBands& in) const noexcept {
    for (size_t i = 0; i < 4; ++i) store(in.states[i].data(), s[i]);
  }
  /// One frame: what enters each band; what leaves it; and the power of its swing at this moment,
  /// from the band and its quadrature, which the filter holds as well.
  inline __attribute__((always_inline)) void step(const Eight& in, Eight& out,
                                                  Eight& power) noexcept {
    Eight band, low;
    go_on(s[0], s[1], in, band, low);
    const Eight between = loud * band;
    go_on(s[2], s[3], between, band, low);
    out = loud * band;
    power = loud * loud * (band * band + low * low);
  }

 private:
  inline __attribute__((always_inline)) void go_on(Eight& s1, Eight& s2, const Eight& x,
                                                   Eight& band, Eight& low) const noexcept {
    band = a1 * s1 + a2 * (x - s2);
    const Eight way = g * band;
    low = s2 + way;
    s1 = (band + band) - s1;
    s2 = low + way;
  }
};

/// Up to 64 band-passes side by side, -3 dB at the edges between them. Real-time safe.
class BandBank {
 public:
  static constexpr int most = 64;
  /// Bands worked out beside each other.
  static constexpr int group = 8;
  using Lane = std::array<float, most>;

  /// Band i is as planned, `ratio` times as high; above 0.45 of the rate it gives nothing.
  void set(const BandPlan& plan, double ratio, double rate) noexcept;
  void reset() noexcept;
  /// All bands, eight by eight; the last ones may be more than there are.
  std::span<EightBands> groups() noexcept { return std::span(groups_).first(used_); }
  /// Frames by which a band's level is late.
  static double late(const BandPlan& plan, int band, double rate);

 private:
  std::array<EightBands, most / group> groups_{};
  size_t used_ = 0;
};

}  // namespace drevan
