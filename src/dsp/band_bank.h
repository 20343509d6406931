// A sound in many narrow bands at once.
#pragma once

#include <array>
#include <span>

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

/// Up to 64 band-passes of the fourth order side by side: two state-variable filters one behind the
/// other (V. Zavalishin, "The Art of VA Filter Design", 2012), -3 dB at the edges between bands.
/// Real-time safe.
class BandBank {
 public:
  static constexpr int most = 64;
  /// Bands worked out beside each other.
  static constexpr int group = 8;
  using Lane = std::array<float, most>;

  /// Band i is as planned, `ratio` times as high; above 0.45 of the rate it gives nothing.
  void set(const BandPlan& plan, double ratio, double rate) noexcept;
  void reset() noexcept { states_ = {}; }
  /// In place, some frames, each a lane: what enters each band, and what leaves it. `level`: how
  /// far each swings at each moment, from the band and its quadrature, which the filter holds as
  /// well.
  void process(std::span<Lane> x, std::span<Lane> level) noexcept;
  /// Frames by which a band's level is late.
  static double late(const BandPlan& plan, int band, double rate);

 private:
  struct States {
    Lane a{}, b{}, c{}, d{};
  };
  int padded_ = 0;  // a multiple of eight
  Lane g_{}, a1_{}, a2_{}, loud_{};
  States states_;
};

}  // namespace drevan
