// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "dsp/filter_bank.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

constexpr size_t bands = 8;
enum : size_t { kind, hz, gain_db, q, per_band };
enum Kind : int { bell, low_shelf, high_shelf, notch };

constexpr std::array<std::array<std::string_view, 4>, bands> ids{{
    {"band1_kind", "band1_hz", "band1_gain_db", "band1_q"},
    {"band2_kind", "band2_hz", "band2_gain_db", "band2_q"},
    {"band3_kind", "band3_hz", "band3_gain_db", "band3_q"},
    {"band4_kind", "band4_hz", "band4_gain_db", "band4_q"},
    {"band5_kind", "band5_hz", "band5_gain_db", "band5_q"},
    {"band6_kind", "band6_hz", "band6_gain_db", "band6_q"},
    {"band7_kind", "band7_hz", "band7_gain_db", "band7_q"},
    {"band8_kind", "band8_hz", "band8_gain_db", "band8_q"},
}};
constexpr std::array<double, bands> standard_hz{60, 125, 250, 500, 1500, 4000, 8000, 14000};

BiquadKind filter_kind(double value) {
  switch (static_cast<int>(value)) {
    case low_shelf:
      return BiquadKind::low_shelf;
    case high_shelf:
      return BiquadKind::high_shelf;
    case notch:
      return BiquadKind::notch;
    default:
      return BiquadKind::bell;
  }
}

// Bands that do nothing are left out: an untouched equaliser is bit-exact.
FilterSlots design(const Settings& s, double rate) {
  FilterSlots out;
  for (size_t b = 0; b < bands; ++b) {
    const size_t at = b * per_band;
    const bool is_notch = static_cast<int>(s[at + kind]) == notch;
    if ((s[at + gain_db] == 0 && !is_notch) || s[at + hz] >= 0.49 * rate) continue;
    out[b] = design_biquad(filter_kind(s[at + kind]), s[at + hz], s[at + q], s[at + gain_db], rate);
  }
  return out;
}

class Equaliser final : public Processor {
 public:
  Equaliser(const Settings& s, StreamFormat format)
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
  return std::make_unique<Equaliser>(s, format);
}

double response_at(const Settings& s, double at_hz, double rate) {
  return response_db(design(s, rate), at_hz, rate);
}

std::string brief(const Settings& s) {
  const auto count =
      std::ranges::count_if(design(s, 96000), [](auto& slot) { return slot.has_value(); });
  return count == 0 ? "flat" : fmt::format("{} {}", count, count == 1 ? "band" : "bands");
}

StepType make_type() {
  StepType t{.id = "equaliser",
             .label = "Equaliser",
             .summary = "lifts and dips parts of the tone",
             .family = Family::tone,
             .parameters = {},
             .starting_points = {{"Voice, clear",
                                  "out at the bottom, dips where a voice is muddy and hard",
                                  {{"band1_kind", low_shelf},
                                   {"band1_hz", 40},
                                   {"band1_gain_db", -12},
                                   {"band2_gain_db", 1.5},
                                   {"band4_gain_db", -3},
                                   {"band6_gain_db", -2.5},
                                   {"band7_gain_db", 1.5},
                                   {"band8_kind", high_shelf},
                                   {"band8_gain_db", 2}}},
                                 {"Near the microphone",
                                  "less chest, more air",
                                  {{"band2_kind", low_shelf},
                                   {"band2_hz", 180},
                                   {"band2_gain_db", -5},
                                   {"band8_kind", high_shelf},
                                   {"band8_hz", 9000},
                                   {"band8_gain_db", 3}}},
                                 {"Boxy room",
                                  "takes the box out of a small room",
                                  {{"band3_hz", 300},
                                   {"band3_gain_db", -3},
                                   {"band4_hz", 520},
                                   {"band4_gain_db", -5},
                                   {"band4_q", 1.4}}}},
             .make = make,
             .traits = {.bends_tone = true, .only_once = true},
             .brief = brief,
             .picture = {}};
  ResponseSpec picture{.response_db = response_at, .most_db = 20, .least_db = -20};
  for (size_t b = 0; b < bands; ++b) {
    const int page = static_cast<int>(b) + 1;
    auto k = choice_parameter(ids[b][kind], "Kind",
                              {{"bell", "Bell"},
                               {"low_shelf", "Low shelf"},
                               {"high_shelf", "High shelf"},
                               {"notch", "Notch"}},
                              bell, "What the band does around (or below, above) its frequency.");
    k.page = page;
    t.parameters.push_back(std::move(k));
    t.parameters.push_back({.id = ids[b][hz],
                            .label = "Frequency",
                            .unit = "Hz",
                            .least = 20,
                            .most = 20000,
                            .standard = standard_hz[b],
                            .scale = Scale::logarithmic,
                            .help = "Where the band acts, in Hz.",
                            .page = page});
    t.parameters.push_back({.id = ids[b][gain_db],
                            .label = "Gain",
                            .unit = "dB",
                            .least = -18,
                            .most = 18,
                            .standard = 0,
                            .help = "How much the band lifts or dips, in dB. A notch has none.",
                            .page = page});
    t.parameters.push_back({.id = ids[b][q],
                            .label = "Q",
                            .unit = "",
                            .least = 0.3,
                            .most = 16,
                            .standard = 1,
                            .scale = Scale::logarithmic,
                            .help = "How narrow the band is: centre frequency over bandwidth.",
                            .page = page});
    const int at = static_cast<int>(b * per_band);
    picture.bands.push_back({.hz = at + static_cast<int>(hz),
                             .gain = at + static_cast<int>(gain_db),
                             .q = at + static_cast<int>(q),
                             .page = page});
  }
  t.picture = std::move(picture);
  return t;
}

}  // namespace

const StepType& equaliser_step() {
  static const StepType type = make_type();
  return type;
}

}  // namespace drevan
