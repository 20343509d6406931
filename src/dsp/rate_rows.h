// SPDX-License-Identifier: GPL-3.0-or-later
// A stream read at another rate, exactly in time.
#pragma once

#include <span>
#include <vector>

namespace drevan {

/// Weights by which sample k of a stream at rate `to` is made of one at rate `from`: at k * from /
/// to of its samples, band-limited to `share` of the slower one's half (a sinc under Kaiser's
/// window, 80 dB). Both rates are whole numbers of Hz.
class RateRows {
 public:
  RateRows(int from, int to, double share);
  /// Samples of the stream before and behind a place that it is made of.
  int reach() const noexcept { return taps_ / 2; }
  double ratio() const noexcept {
    return static_cast<double>(whole_) + static_cast<double>(rest_) / count_;
  }

  /// A place in the stream: `whole` samples and row / count more.
  struct Place {
    long whole = 0, row = 0;
  };
  /// Where sample k stands; k may be below 0.
  Place place_of(long k) const noexcept;
  void go_on(Place& at) const noexcept {
    at.whole += whole_;
    if ((at.row += rest_) >= count_) at.row -= count_, ++at.whole;
  }
  /// `first` is the stream's sample at place.whole - reach() + 1. Real-time safe.
  float read(const float* first, const Place& at) const noexcept;

 private:
  long whole_, rest_, count_;  // from / to = whole + rest / count
  int taps_;
  std::vector<float> rows_;  // count x taps
};

}  // namespace drevan
