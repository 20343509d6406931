// SPDX-License-Identifier: GPL-3.0-or-later
// A sound through a measured or a designed response.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "audio/buffer.h"
#include "dsp/fft.h"

namespace drevan {

/// Convolution in equal parts (overlap-save; T. G. Stockham, "High-speed convolution and
/// correlation", 1966; W. G. Gardner, "Efficient convolution without input-output delay", JAES
/// 43(3), 1995, without its direct head). One channel. Real-time safe but for construction.
class Convolver {
 public:
  /// `block`: frames by which it is late, a power of two from 16; `longest`: of all responses.
  Convolver(int block, Samples longest);
  int latency() const noexcept { return block_; }
  /// Faded over to within the next block; what is longer than the longest is left out.
  void set(std::span<const float> response) noexcept;
  /// In place.
  void process(std::span<float> x) noexcept;
  /// Forgets the sound, keeps the newest response.
  void reset() noexcept;

 private:
  struct Spectra {
    FloatVector re, im;  // parts x bins
    size_t used = 0;     // parts of a response that are not silent
  };
  void work() noexcept;
  void sum_up(const Spectra& response) noexcept;
  float* row(FloatVector& of, size_t part) const noexcept { return of.data() + part * stride_; }

  int block_;
  RealFft fft_;
  size_t bins_, stride_, parts_;
  std::array<Spectra, 2> responses_;
  size_t now_ = 0;      // of the responses
  bool fades_ = false;  // from the other one
  Spectra heard_;       // of the newest parts of the sound, in a ring
  size_t newest_ = 0;
  FloatVector time_, sum_re_, sum_im_, out_, padded_;
  ComplexVector spectrum_;
  size_t filled_ = 0;
};

/// A long response that stays as it is: its beginning in short parts, the rest in long ones, so
/// that it is hardly late and still soon reckoned. One channel. Real-time safe but for
/// construction.
class LongConvolver {
 public:
  static constexpr int block = 256, long_block = 4096;
  explicit LongConvolver(std::span<const float> response);
  static constexpr int latency() { return block; }
  /// Adds what comes of `in` to `out`.
  void add(std::span<const float> in, std::span<float> out) noexcept;
  void reset() noexcept;

 private:
  std::vector<Convolver> parts_;
  std::vector<float> now_;
};

/// Of all responses with given gains the one that comes soonest. Real-time safe but for
/// construction.
class MinimumPhase {
 public:
  /// Designs on `size` points, an even number well above the response's length.
  explicit MinimumPhase(int size);
  /// Gains are wanted at this many places, from 0 Hz to half the rate.
  int places() const { return fft_.bins(); }
  /// `gains_db` has places() values; the response fades out over its last eighth. By the real
  /// cepstrum (A. V. Oppenheim, R. W. Schafer, "Discrete-time signal processing", chapter 13).
  void design(std::span<const float> gains_db, std::span<float> response) noexcept;

 private:
  RealFft fft_;
  FloatVector time_;
  ComplexVector spectrum_;
};

}  // namespace drevan
