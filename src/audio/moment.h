// SPDX-License-Identifier: GPL-3.0-or-later
// Moments and lengths of time that know what they count: the source, the clip, what is heard of it,
// the reel. None becomes another but by reel/times/clip_times.h.
#pragma once

#include <algorithm>
#include <cmath>
#include <compare>

#include "audio/buffer.h"

namespace drevan {

// Frames within one stream (a block, a reader's own position) are plain Samples. A moment that is
// kept, shown, or goes from one of these clocks to another is one of the types here. They count
// seconds, since each clock has a rate of its own which may change under it; frame_of() is the only
// way to frames, and takes that rate.

struct SourceClock {};  ///< of the file, from its first frame, at the file's rate
struct ClipClock {};    ///< of what enters the clip's chain; 0 at the clip's beginning
/// Of what leaves the clip's chains, behind stretch, speed and reverse; 0 where the clip's beginning
/// is placed, below 0 where something leads (a reverb that is reversed).
struct HeardClock {};
struct ReelClock {};  ///< of the reel
struct FilmClock {};  ///< of a film, from its first picture

/// A length of time by one clock.
template <class Clock>
struct Span {
  double s = 0;  ///< seconds
  friend constexpr auto operator<=>(const Span&, const Span&) = default;
  constexpr Span operator-() const { return {-s}; }
  constexpr Span& operator+=(Span by) { return s += by.s, *this; }
  constexpr Span& operator-=(Span by) { return s -= by.s, *this; }
  friend constexpr Span operator+(Span a, Span b) { return {a.s + b.s}; }
  friend constexpr Span operator-(Span a, Span b) { return {a.s - b.s}; }
  friend constexpr Span operator*(Span a, double by) { return {a.s * by}; }
  friend constexpr Span operator*(double by, Span a) { return {a.s * by}; }
  friend constexpr Span operator/(Span a, double by) { return {a.s / by}; }
  friend constexpr double operator/(Span a, Span b) { return a.s / b.s; }
};

/// A moment by one clock.
template <class Clock>
struct Moment {
  double s = 0;  ///< seconds from the clock's beginning
  friend constexpr auto operator<=>(const Moment&, const Moment&) = default;
  constexpr Moment& operator+=(Span<Clock> by) { return s += by.s, *this; }
  constexpr Moment& operator-=(Span<Clock> by) { return s -= by.s, *this; }
  friend constexpr Moment operator+(Moment at, Span<Clock> by) { return {at.s + by.s}; }
  friend constexpr Moment operator-(Moment at, Span<Clock> by) { return {at.s - by.s}; }
  friend constexpr Span<Clock> operator-(Moment a, Moment b) { return {a.s - b.s}; }
};

/// From one moment to a later one.
template <class Clock>
struct Range {
  Moment<Clock> begin{}, end{};
  constexpr Span<Clock> length() const { return end - begin; }
  constexpr bool contains(Moment<Clock> at) const { return at >= begin && at < end; }
  friend constexpr bool operator==(const Range&, const Range&) = default;
};

using SourceTime = Moment<SourceClock>;
using ClipTime = Moment<ClipClock>;
using HeardTime = Moment<HeardClock>;
using ReelTime = Moment<ReelClock>;
using FilmTime = Moment<FilmClock>;
using ClipSpan = Span<ClipClock>;
using HeardSpan = Span<HeardClock>;
using ReelSpan = Span<ReelClock>;
using ClipRange = Range<ClipClock>;
using HeardRange = Range<HeardClock>;
using ReelRange = Range<ReelClock>;

/// The frame nearest to a moment, or the frames nearest to a length, at a rate in Hz.
template <class Clock>
Samples frame_of(Moment<Clock> at, double rate) {
  return std::llround(at.s * rate);
}
template <class Clock>
Samples frames_of(Span<Clock> length, double rate) {
  return std::llround(length.s * rate);
}
/// The moment of a frame, e.g. moment_of<ReelClock>(48000, 48000) is 1 s.
template <class Clock>
Moment<Clock> moment_of(Samples frame, double rate) {
  return {static_cast<double>(frame) / rate};
}

template <class Clock>
Moment<Clock> clamp(Moment<Clock> at, Moment<Clock> least, Moment<Clock> most) {
  return {std::clamp(at.s, least.s, most.s)};
}

}  // namespace drevan
