// SPDX-License-Identifier: GPL-3.0-or-later
// The late sound of a space: many delay lines that feed each other.
#pragma once

#include <array>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// How fast a space goes quiet: seconds until a sound has fallen by 60 dB, below `low_hz`, between,
/// and above `high_hz`. How many times as long the delay lines are as those of a middling room.
struct LateFieldShape {
  double low_s = 1, middle_s = 1, high_s = 1;
  double low_hz = 200, high_hz = 5000;
  double size = 1;
};

/// A feedback delay network of 32 lines (J.-M. Jot and A. Chaigne, "Digital delay networks for
/// designing artificial reverberators", AES 90th Convention, 1991): lengths without common divisor,
/// mixed by a Hadamard matrix, each line damped in three bands by what its length asks for, so that
/// all decay alike. Each output hears lines of its own, so outputs are unlike each other. For
/// steady noise what leaves is as loud as what enters. Real-time safe but for construction.
///
/// `Lines`: 32, or 16 where the space is small and stays behind.
template <int Lines>
class BasicLateField {
 public:
  static constexpr int lines = Lines;
  static constexpr int chunk = 16;
  static constexpr double least_size = 0.4, most_size = 2.5;
  using Rows = std::array<std::array<float, chunk>, lines>;

  BasicLateField(double rate, int channels_in, int channels_out, const LateFieldShape& shape);
  void reset() noexcept;
  /// Heard at once for decays, within a twentieth of a second for the size.
  void set(const LateFieldShape& shape) noexcept;
  using Channels = std::array<std::array<float, chunk>, max_channels>;  ///< [channel][frame]
  /// What comes out in the next `chunk` frames: it does not depend on what enters in them.
  void begin(Channels& out) noexcept;
  /// What entered in them.
  void end(const Channels& in) noexcept;
  /// Length of line `line` at size 1, in seconds.
  static double line_s(int line) noexcept;

 private:
  struct Bands {
    std::array<float, lines> low{}, middle{}, high{};  // gains a round
  };
  void read() noexcept;
  void aim() noexcept;

  double rate_;
  int channels_in_, channels_out_;
  LateFieldShape shape_;
  std::vector<float> ring_;  // of all lines, one behind the other
  size_t mask_ = 0, at_ = 0;
  std::array<int, lines> frames_{}, next_frames_{}, wanted_frames_{};
  double fade_ = 1, fade_step_ = 1;  // from frames_ to next_frames_
  Bands gains_, goals_;
  float glide_ = 1;  // of gains_, per chunk
  float low_k_ = 0, high_k_ = 0;
  std::array<float, lines> low_{}, high_{};  // states
  Rows rows_{}, faded_{};
  float loudness_ = 1, loudness_goal_ = 1;
};

extern template class BasicLateField<16>;
extern template class BasicLateField<32>;
using LateField = BasicLateField<32>;
using SmallLateField = BasicLateField<16>;

}  // namespace drevan
