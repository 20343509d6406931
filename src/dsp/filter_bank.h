// SPDX-License-Identifier: GPL-3.0-or-later
// A cascade of second-order sections for all channels of a stream that can be changed while it
// runs: the old and the new filter are crossfaded, so that no change clicks, not even a new slope.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "audio/buffer.h"
#include "dsp/biquad.h"

namespace drevan {

/// Sections a bank can hold.
inline constexpr size_t most_sections = 12;

/// Sections in fixed places; an empty place passes all. A section keeps its place, and
/// with it its state, while its neighbours come and go.
using FilterSlots = std::array<std::optional<BiquadCoefficients>, most_sections>;

class FilterBank {
 public:
  FilterBank(StreamFormat format, const FilterSlots& slots);

  /// Crossfades to `slots` in 10 ms. While one fade runs the newest call waits for its end.
  /// Real-time safe.
  void set(const FilterSlots& slots) noexcept;
  void process(const AudioBlock& block) noexcept;
  /// Takes on the newest settings at once and forgets the past.
  void reset() noexcept;
  /// Samples until all sections together have rung down by some 80 dB.
  Samples tail() const noexcept;

 private:
  // A section run by scattered look-ahead (K. K. Parhi, D. G. Messerschmitt, "Pipeline interleaving and
  // parallelism in recursive digital filters", IEEE Trans. ASSP 37(7), 1989): numerator and denominator
  // are multiplied by the denominator with its odd term turned. The response stays the same; what comes
  // out then depends on the outputs of two and four samples before only, so that two samples are under
  // way at a time, and the numerator has no feedback at all.
  struct Section {
    std::array<double, 5> forward{};  // of x, newest first
    double back2 = 0, back4 = 0;      // of y two and four samples ago
    std::array<double, 4> x{}, y{};   // past, oldest first
    void set(const BiquadCoefficients& c) noexcept;
    void reset() noexcept { x = y = {}; }
  };
  static constexpr size_t chunk = 128;
  using Lane = std::array<Section, most_sections>;
  struct Set {
    std::array<int, most_sections> used{};  // the filled places
    int count = 0;
    std::vector<Lane> lanes;  // one per channel
  };
  static void load(Set& set, const FilterSlots& slots) noexcept;
  static void run(const Set& set, Lane& lane, std::span<const float> in,
                  std::span<float> out) noexcept;
  void begin_fade() noexcept;

  Set now_, old_;
  FilterSlots slots_;  // of now_
  FilterSlots waiting_;
  bool has_waiting_ = false;
  int fade_frames_;
  int fade_left_ = 0;
};

/// Response of all sections together at `hz`, dB.
double response_db(const FilterSlots& slots, double hz, double rate);

}  // namespace drevan
