// SPDX-License-Identifier: GPL-3.0-or-later
// What is heard where packets of a waveform codec are lost.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

namespace drevan {

/// Repeats the last pitch period, longer stretches of the past the longer the loss lasts, and fades
/// to silence within 60 ms; what comes again is faded over to (ITU-T G.711, Appendix I; G.722,
/// Appendix IV repeats the last period and fades likewise). It adds no delay: the last quarter of a
/// period is faded over when the loss begins, not held back before it. Real-time safe but for
/// construction.
class LossConcealment {
 public:
  explicit LossConcealment(int rate);
  void reset() noexcept;
  /// A packet that came: the first after a loss is changed at its beginning.
  void hear(std::span<std::int16_t> packet) noexcept;
  /// One that did not.
  void conceal(std::span<std::int16_t> packet) noexcept;

 private:
  void begin() noexcept;
  float next() noexcept;
  void remember(std::span<const std::int16_t> packet) noexcept;

  int rate_, shortest_, longest_;
  std::vector<float> past_;    // the newest last
  std::vector<float> period_;  // what is repeated
  size_t length_ = 0, at_ = 0;
  int lost_ = 0;  // samples since the loss began
};

}  // namespace drevan
