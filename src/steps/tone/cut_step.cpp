// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>

#include "dsp/filter_bank.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { low_hz, low_slope, high_hz, high_slope };

constexpr double low_off = 10;
constexpr double high_off = 24000;

// Slope choice n is 12 (n + 1) dB per octave: Butterworth of order 2 (n + 1).
void add(FilterSlots& out, size_t first, BiquadKind kind, double hz, double slope, double rate) {
  const int order = 2 * (static_cast<int>(slope) + 1);
  for (int k = 0; k < order / 2; ++k)
    out[first + static_cast<size_t>(k)] = design_biquad(kind, hz, butterworth_q(order, k), 0, rate);
}

FilterSlots design(const Settings& s, double rate) {
  FilterSlots out;
  if (s[low_hz] > low_off) add(out, 0, BiquadKind::high_pass, s[low_hz], s[low_slope], rate);
  // A high cut at or above the top of the stream has nothing to cut.
  if (s[high_hz] < high_off && s[high_hz] < 0.49 * rate)
    add(out, 4, BiquadKind::low_pass, s[high_hz], s[high_slope], rate);
  return out;
}

class Cut final : public Processor {
 public:
  Cut(const Settings& s, StreamFormat format)
      : settings_(s), rate_(format.rate), bank_(format, design(s, format.rate)) {}
  void process(const AudioBlock& block) noexcept override { bank_.process(block); }
  Samples tail() const noexcept override { return bank_.tail(); }
  void reset() noexcept override { bank_.reset(); }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    bank_.set(design(settings_, rate_));
  }

 private:
  Settings settings_;
  double rate_;
  FilterBank bank_;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Cut>(s, format);
}

double response_at(const Settings& s, double hz, double rate) {
  return response_db(design(s, rate), hz, rate);
}

std::string hz_text(double hz) {
  return hz < 1000 ? fmt::format("{:.0f} Hz", hz) : fmt::format("{:.1f} kHz", hz / 1000);
}

std::string brief(const Settings& s) {
  const bool low = s[low_hz] > low_off;
  const bool high = s[high_hz] < high_off;
  if (low && high) return hz_text(s[low_hz]) + " to " + hz_text(s[high_hz]);
  if (low) return "below " + hz_text(s[low_hz]);
  if (high) return "above " + hz_text(s[high_hz]);
  return "both off";
}

Parameter slope(std::string_view id, std::string_view label) {
  return choice_parameter(id, label,
                          {{"12", "12 dB/octave"},
                           {"24", "24 dB/octave"},
                           {"36", "36 dB/octave"},
                           {"48", "48 dB/octave"}},
                          1, "How steeply the cut falls, in dB per octave.");
}

}  // namespace

const StepType& cut_step() {
  static const StepType type{
      .id = "cut",
      .label = "Cut",
      .summary = "takes away everything below, or above, a frequency",
      .family = Family::tone,
      .parameters = {{.id = "low_hz",
                      .label = "Low cut",
                      .unit = "Hz",
                      .least = low_off,
                      .most = 8000,
                      .standard = 80,
                      .scale = Scale::logarithmic,
                      .help = "Below this frequency (Hz) the sound falls away. No voice lives "
                              "below 80 Hz. The far left is off.",
                      .off_at = low_off},
                     slope("low_slope_db", "Low slope"),
                     {.id = "high_hz",
                      .label = "High cut",
                      .unit = "Hz",
                      .least = 200,
                      .most = high_off,
                      .standard = high_off,
                      .scale = Scale::logarithmic,
                      .help = "Above this frequency (Hz) the sound falls away. The far right is "
                              "off.",
                      .off_at = high_off},
                     slope("high_slope_db", "High slope")},
      .starting_points = {{"Voice", "out with what lies below every voice", {{"low_hz", 80}}},
                          {"Traffic rumble",
                           "steeper and a little higher",
                           {{"low_hz", 100}, {"low_slope_db", 3}}},
                          {"Under music",
                           "an effect that stays behind a melody",
                           {{"low_hz", low_off}, {"high_hz", 1000}}},
                          {"Through the wire",
                           "the narrow band of a call",
                           {{"low_hz", 850}, {"high_hz", 5100}}}},
      .make = make,
      .brief = brief,
      .picture =
          ResponseSpec{.response_db = response_at, .bands = {{.hz = low_hz}, {.hz = high_hz}}},
  };
  return type;
}

}  // namespace drevan
