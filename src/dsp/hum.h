// Mains hum: found in a recording, and followed.
#pragma once

#include <array>
#include <complex>
#include <optional>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/biquad.h"
#include "dsp/delay.h"
#include "dsp/fft.h"

namespace drevan {

/// Harmonics that are looked for: up to 2 kHz at 50 Hz.
inline constexpr int most_hum_harmonics = 40;

/// What hums.
struct Hum {
  double hz = 0;  ///< the fundamental
  /// How far harmonic k + 1 stands above its surroundings, dB; 0: it is not there.
  std::array<float, most_hum_harmonics> above_db{};
};

/// Finds the fundamental and which of its harmonics are there. Every 50 ms of sound are weighed by
/// their power to -1.5: so speech does not drown the hum that is heard in its pauses. Spectra of
/// some 5 s are then searched for the frequency whose multiples stand out most. Not for the real-time thread.
class HumFinder {
 public:
  /// Only fundamentals between these, Hz.
  HumFinder(StreamFormat format, double least_hz, double most_hz);
  void hear(const AudioBlock& block);
  /// Empty when nothing hums.
  std::optional<Hum> find() const;

 private:
  static constexpr int size = 65536;      // of the transform; half of it is sound
  static constexpr double apart_hz = 0.005;  // candidates
  void finish_frame();
  void add_window(std::vector<float> sound);
  double level_at(double hz) const;

  double least_hz_;
  int step_;      // samples of the stream for one of the search
  double rate_;   // of the search
  std::vector<Biquad> low_pass_;
  int phase_ = 0;
  std::vector<float> frame_, waiting_, window_;
  std::array<double, 2> weights_{};  // of the frame before the waiting one, and its own
  size_t frame_size_;
  RealFft fft_{size};
  std::vector<float> level_db_;  // of the newest window
  using Levels = std::array<float, most_hum_harmonics>;
  std::vector<Levels> above_;    // per candidate, summed over windows
  int windows_ = 0;
};

/// Follows each harmonic's size and phase in one channel. A moment counts by the inverse of its level, so
/// loud words hardly move the estimate, are not thinned by it, and it does not ring after them. The
/// answer is late, so that it stands in the middle of what it was made from: a hum that drifts is met,
/// and so are the first moments of a sound. Real-time safe but for construction.
class HumFollower {
 public:
  HumFollower(double rate, const Hum& hum);
  /// Frames by which the answer is late.
  int latency() const { return (late_ + 1) * block_; }
  void reset() noexcept;
  /// Takes the lowest `harmonics` of those that are there, 0 to most_hum_harmonics.
  void set_harmonics(int harmonics) noexcept { highest_ = harmonics; }
  /// Another finding.
  void set_hum(const Hum& hum) noexcept;
  /// Hears x and gives the hum that was in it latency() ago. At most 4096 samples.
  void process(std::span<const float> x, std::span<float> hum) noexcept;

 private:
  using Complex = std::complex<double>;
  using Sized = std::array<Complex, most_hum_harmonics>;
  void table() noexcept;
  void finish_block() noexcept;
  void synthesise() noexcept;

  double rate_;
  int block_, late_;
  double keep_;        // of a low-pass stage, per block
  double hz_ = 0;
  std::array<bool, most_hum_harmonics> there_{};
  int highest_ = most_hum_harmonics;
  FloatVector cos_, sin_;       // harmonics x block
  FloatVector in_, out_;        // one block each
  SlidingMaximum loudest_;
  int filled_ = 0;
  double phase_ = 0;            // of the fundamental at the block's start, cycles
  struct Past {
    double phase = 0;
    bool sounds = false;
  };
  std::vector<Past> past_;      // the last blocks
  size_t at_ = 0;
  struct Heard {
    std::array<std::complex<double>, most_hum_harmonics> z{};
    bool silent = true;
  };
  std::vector<Heard> heard_;    // blocks that wait for what comes after them
  size_t heard_at_ = 0;
  long blocks_ = 0;
  double level1_ = 0, level2_ = 0;
  double weight1_ = 0, weight2_ = 0;
  Sized sum1_{}, sum2_{}, now_{}, before_{};
};

}  // namespace drevan
