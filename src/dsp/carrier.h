// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds that a vocoder makes speak.
#pragma once

#include <optional>
#include <string>
#include <span>
#include <string_view>
#include <vector>

#include "audio/buffer.h"

namespace drevan {

/// White noise of power 1/3 that depends on the frame and the channel alone.
float frame_noise(Samples frame, int channel) noexcept;

/// A saw or a train of pulses without aliases to speak of: corners rounded by a polynomial (V.
/// Valimaki and A. Huovinen, "Antialiasing oscillators in subtractive synthesis", IEEE Signal
/// Processing Magazine 24(2), 2007). Its phase goes by the frame while its pitch stands still.
class CarrierTone {
 public:
  void prepare(double rate, double hz) noexcept;
  void set(double hz) noexcept;
  void place(Samples frame) noexcept;
  /// -1 to 1.
  float saw() noexcept;
  /// A saw less one that is a tenth of a period behind.
  float pulse() noexcept;

 private:
  float saw_at(double phase) const noexcept;
  void go_on() noexcept;
  double rate_ = 48000, step_ = 0, goal_ = 0, phase_ = 0;
};

/// The notes of a chord, "A2 C#3 E3", in Hz, with A4 = 440 Hz; nullopt: it is none. At most `most`.
inline constexpr int most_notes = 8;
std::optional<std::vector<double>> chord_hz(std::string_view chord);
/// What is wrong with it, to stand behind its label; empty: nothing.
std::string chord_fault(std::string_view chord);

}  // namespace drevan
