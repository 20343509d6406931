// SPDX-License-Identifier: GPL-3.0-or-later
#include "dsp/carrier.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace drevan {

float frame_noise(Samples frame, int channel) noexcept {
  auto h = static_cast<std::uint64_t>(frame) * 0x9E3779B97F4A7C15ULL +
           static_cast<std::uint64_t>(channel) * 0xD1B54A32D192ED03ULL;
  h ^= h >> 30;
  h *= 0xBF58476D1CE4E5B9ULL;
  h ^= h >> 27;
  h *= 0x94D049BB133111EBULL;
  h ^= h >> 31;
  return static_cast<float>(static_cast<std::int32_t>(h >> 32)) * (1.0F / 2147483648.0F);
}

void CarrierTone::prepare(double rate, double hz) noexcept {
  rate_ = rate;
  step_ = goal_ = hz / rate;
  phase_ = 0;
}

void CarrierTone::set(double hz) noexcept { goal_ = hz / rate_; }

void CarrierTone::place(Samples frame) noexcept {
  step_ = goal_;
  const double cycles = step_ * static_cast<double>(frame);
  phase_ = cycles - std::floor(cycles);
}

float CarrierTone::saw_at(double phase) const noexcept {
  double x = 2 * phase - 1;
  if (phase < step_) {
    const double t = phase / step_;
    x -= t + t - t * t - 1;
  } else if (phase > 1 - step_) {
    const double t = (phase - 1) / step_;
    x -= t * t + t + t + 1;
  }
  return static_cast<float>(x);
}

void CarrierTone::go_on() noexcept {
  phase_ += step_;
  if (phase_ >= 1) phase_ -= 1;
  step_ += 0.002 * (goal_ - step_);
  if (std::abs(goal_ - step_) < 1e-9) step_ = goal_;
}

float CarrierTone::saw() noexcept {
  const float x = saw_at(phase_);
  go_on();
  return x;
}

float CarrierTone::pulse() noexcept {
  const double behind = phase_ >= 0.1 ? phase_ - 0.1 : phase_ + 0.9;
  const float x = saw_at(phase_) - saw_at(behind);
  go_on();
  return x;
}

namespace {

// One note from the front of `rest`; 0: there is none.
double take_note(std::string_view& rest) {
  static constexpr int above_c[] = {9, 11, 0, 2, 4, 5, 7};
  const char letter = static_cast<char>(std::toupper(static_cast<unsigned char>(rest[0])));
  if (letter < 'A' || letter > 'G') return 0;
  int note = above_c[letter - 'A'];
  rest.remove_prefix(1);
  if (!rest.empty() && (rest[0] == '#' || rest[0] == 'b')) {
    note += rest[0] == '#' ? 1 : -1;
    rest.remove_prefix(1);
  }
  if (rest.empty() || rest[0] < '0' || rest[0] > '8') return 0;
  const int octave = rest[0] - '0';
  rest.remove_prefix(1);
  return 440 * std::exp2((note - 9) / 12.0 + octave - 4);
}

bool parts_notes(char c) { return c == ' ' || c == ',' || c == '-'; }

}  // namespace

std::string chord_fault(std::string_view chord) {
  int count = 0;
  for (std::string_view rest = chord; !rest.empty();) {
    if (parts_notes(rest[0])) {
      rest.remove_prefix(1);
      continue;
    }
    const std::string_view word = rest.substr(0, std::min(rest.size(), rest.find_first_of(" ,-")));
    if (take_note(rest) == 0 || (!rest.empty() && !parts_notes(rest[0])))
      return fmt::format("has no note \"{}\"; notes are written as A2, C#3 or Eb4, 0 to 8", word);
    ++count;
  }
  if (count == 0) return "has no notes; write some, as A2 C#3 E3";
  if (count > most_notes) return fmt::format("has more than {} notes", most_notes);
  return {};
}

std::optional<std::vector<double>> chord_hz(std::string_view chord) {
  if (!chord_fault(chord).empty()) return std::nullopt;
  std::vector<double> out;
  while (!chord.empty()) {
    if (parts_notes(chord[0]))
      chord.remove_prefix(1);
    else
      out.push_back(take_note(chord));
  }
  return out;
}

}  // namespace drevan
