// SPDX-License-Identifier: GPL-3.0-or-later
// The pitch of a voice as it goes, and the moments its periods begin at.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// A voice's signal at about 8 kHz, without what is above 1.6 kHz. Real-time safe but for
/// construction.
class Decimator {
 public:
  explicit Decimator(double rate);
  int factor() const noexcept { return factor_; }
  /// Frames of input by which what comes out is late.
  int late() const noexcept { return static_cast<int>(taps_.size()) / 2; }
  void reset() noexcept;
  /// Whether a sample came out with this one.
  bool process(float x, float& out) noexcept;

 private:
  int factor_;
  std::vector<float> taps_, past_;  // the past twice, so that it lies in one piece
  size_t at_ = 0;
  int phase_ = 0;
};

/// Pitch every 5 ms by normalised cross-correlation and the best path through its candidates (D.
/// Talkin, "A robust algorithm for pitch tracking (RAPT)", in Speech Coding and Synthesis, 1995),
/// where the path is settled once it is 40 ms old. Real-time safe but for construction.
class VoicePitch {
 public:
  static constexpr double least_hz = 55, most_hz = 650;
  static constexpr double hop_s = 0.005;
  /// `rate`: of what it hears, from a Decimator.
  explicit VoicePitch(double rate);
  void reset() noexcept;
  /// How much later than the middle of its window a pitch is known, in samples.
  int late() const noexcept { return reach_ + delay * hop_; }
  int hop() const noexcept { return hop_; }
  /// Whether a pitch became known with this sample.
  bool process(float x) noexcept;
  /// The period at the frame that became known, in samples; 0: no voice.
  double period() const noexcept { return period_; }

 private:
  static constexpr int delay = 8, most_candidates = 6;
  struct Candidate {
    float lag = 0, cost = 0, log_lag = 0;
  };
  struct Frame {
    std::array<Candidate, most_candidates + 1> all{};  // the first: no voice
    std::array<float, most_candidates + 1> sum{};
    std::array<int, most_candidates + 1> from{};
    int count = 0;
    float level_db = -200;
  };
  void correlate() noexcept;
  void find_candidates(Frame& frame) noexcept;
  void add_to_path(Frame& frame, const Frame* before) noexcept;

  double rate_;
  int hop_, least_lag_, most_lag_, window_, reach_;
  std::vector<float> past_;  // twice as long as needed, moved now and then
  size_t end_ = 0;
  int until_ = 0;
  std::vector<double> squares_;
  std::vector<float> correlation_;
  std::array<Frame, delay + 1> frames_{};
  long count_ = 0;
  double period_ = 0;
};

}  // namespace drevan
