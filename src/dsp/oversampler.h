// SPDX-License-Identifier: GPL-3.0-or-later
// A stream at eight times its rate and back, for what bends a waveform.
#pragma once

#include <array>

#include "audio/buffer.h"

namespace drevan {

/// One channel, eight times oversampled by linear-phase filters: flat within 0.05 dB to 0.415 of
/// the rate (20 kHz at 48 kHz), images and aliases above 0.52 of it (25 kHz) 90 dB down (Kaiser's
/// window; J. F. Kaiser, "Nonrecursive digital filter design using the I0-sinh window function",
/// 1974). A long filter doubles the rate, two short half-band filters double it again (R. E.
/// Crochiere, L. R. Rabiner, "Multirate digital signal processing", 1983, chapter 5). Real-time
/// safe but for construction.
class Oversampler {
 public:
  static constexpr int factor = 8;
  static constexpr int most_frames = 256;
  /// The eight samples that follow input i stand at [p][i], p = 0 .. 7.
  using Planes = std::array<std::array<float, most_frames>, factor>;

  Oversampler();
  /// Frames by which up() and down() together are late.
  static constexpr int latency() { return taps + half_band_late; }
  void reset() noexcept;
  /// At most most_frames samples.
  void up(std::span<const float> in, Planes& out) noexcept;
  void down(const Planes& in, std::span<float> out) noexcept;

 private:
  static constexpr int taps = 56;          // of the first filter, per phase
  static constexpr int padded = taps + 4;  // with the last tap, and zeros to a multiple of four
  static constexpr int half_taps = 16;     // of a half-band filter, but for the middle one
  static constexpr int half_band_late = 11;
  // A plane with what came before it.
  template <size_t past>
  struct Stretch {
    std::array<float, past + most_frames> data{};
    const float* now() const noexcept { return data.data() + past; }
    void hear(const float* x, size_t n) noexcept;
    void go_on(size_t n) noexcept;
  };
  using Long = Stretch<padded>;
  using Short = Stretch<12>;
  // The weights by which a plane of a stream in `planes` enters another: [by how many later][tap].
  template <size_t planes>
  using HalfBand = std::array<std::array<float, half_taps / planes>, planes>;

  template <size_t planes>
  static void filter(const HalfBand<planes>& by, const std::array<Short, planes>& in, size_t q,
                     std::span<float> out) noexcept;
  template <size_t planes>
  static std::span<const float> earlier(const std::array<Short, planes>& in, size_t q, int samples,
                                        size_t n) noexcept;

  std::array<std::array<float, padded>, 2> up_{}, down_{};
  HalfBand<2> to_four_{};
  HalfBand<4> to_eight_{};
  Long in_;
  std::array<Short, 2> two_;
  std::array<Short, 4> four_;
  // On the way down: the even and the odd samples of each rate.
  std::array<Short, 4> even_8_, odd_8_;
  std::array<Short, 2> even_4_, odd_4_;
  std::array<Long, 2> down_2_;
};

}  // namespace drevan
