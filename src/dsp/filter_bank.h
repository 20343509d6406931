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
  using Lane = std::array<Biquad, most_sections>;
  struct Set {
    std::array<int, most_sections> used{};  // the filled places
    int count = 0;
    std::vector<Lane> lanes;  // one per channel
  };
  static void load(Set& set, const FilterSlots& slots) noexcept;
  static float run(const Set& set, Lane& lane, float x) noexcept;
  template <int count>
  static void run_block(const Set& set, Lane& lane, std::span<float> x) noexcept;
  void begin_fade() noexcept;

  Set now_, old_;
  FilterSlots slots_;    // of now_
  FilterSlots waiting_;
  bool has_waiting_ = false;
  int fade_frames_;
  int fade_left_ = 0;
};

/// Response of all sections together at `hz`, dB.
double response_db(const FilterSlots& slots, double hz, double rate);

}  // namespace drevan
