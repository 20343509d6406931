// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds as something that can be read from any place, and clocks between them.
#pragma once

#include <vector>

#include "audio/buffer.h"

namespace drevan {

struct SoundShape {
  double rate = 48000;  ///< Hz
  int channels = 1;
  Samples frames = 0;
  double seconds() const { return static_cast<double>(frames) / rate; }
  friend bool operator==(const SoundShape&, const SoundShape&) = default;
};

/// A clip's source, a sound kept aside. One thread at a time.
class SoundReader {
 public:
  virtual ~SoundReader() = default;
  virtual const SoundShape& shape() const = 0;
  /// The next read() begins at this frame, kept within the sound.
  virtual void seek(Samples frame) = 0;
  /// Frames read into the block's first channels, as many as the sound has; fewer than asked only at the end.
  /// Throws Error(input).
  virtual int read(const AudioBlock& block) = 0;
};

/// Where moments of one sound are in another, in seconds. Piecewise linear; beyond its ends it goes on as there. May
/// run backwards. A value.
class TimeMap {
 public:
  struct Point {
    double in = 0, out = 0;
    friend bool operator==(const Point&, const Point&) = default;
  };
  /// Every moment where it was.
  TimeMap() = default;
  /// `points` with in rising, and out rising or falling, all the way; at least two.
  explicit TimeMap(std::vector<Point> points) : points_(std::move(points)) {}
  /// `length` seconds that become `factor` times as many; or turned round.
  static TimeMap stretched(double factor) { return TimeMap({{0, 0}, {1, factor}}); }
  static TimeMap reversed(double length) {
    return TimeMap({{0, length}, {length > 0 ? length : 1, length > 0 ? 0 : length - 1}});
  }

  double out_of(double in) const { return at(in, &Point::in, &Point::out); }
  double in_of(double out) const { return at(out, &Point::out, &Point::in); }
  /// First this, then `next`.
  TimeMap then(const TimeMap& next) const;
  bool identity() const { return points_.empty(); }
  std::span<const Point> points() const { return points_; }
  /// Whether later moments come earlier.
  bool backwards() const { return !points_.empty() && points_.back().out < points_.front().out; }
  friend bool operator==(const TimeMap&, const TimeMap&) = default;

 private:
  double at(double x, double Point::*from, double Point::*to) const;

  std::vector<Point> points_;  // empty: identity
};

}  // namespace drevan
