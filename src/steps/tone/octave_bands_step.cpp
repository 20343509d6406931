// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "dsp/filter_bank.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

constexpr size_t bands = 10;
using Vector = std::array<double, bands>;
using Matrix = std::array<Vector, bands>;

// IEC 61260-1 octave mid-band frequencies, base ten: 1000 * 10^(3 n / 10), n = -5 .. 4.
const Vector& centres() {
  static const Vector hz = [] {
    Vector v{};
    for (size_t b = 0; b < bands; ++b)
      v[b] = 1000 * std::pow(10, 0.3 * (static_cast<double>(b) - 5));
    return v;
  }();
  return hz;
}
constexpr std::array<std::string_view, bands> ids{
    "band_31_db", "band_63_db", "band_125_db", "band_250_db", "band_500_db",
    "band_1k_db", "band_2k_db", "band_4k_db",  "band_8k_db",  "band_16k_db"};
constexpr std::array<std::string_view, bands> labels{
    "31.5 Hz", "63 Hz", "125 Hz", "250 Hz", "500 Hz", "1 kHz", "2 kHz", "4 kHz", "8 kHz", "16 kHz"};
constexpr double octaves = 1.25;  // between the points of half the gain: wide enough not to sag

// Q for that bandwidth in a sampled stream: the cookbook's BW form, which undoes the bilinear
// transform's narrowing towards half the rate.
double q_at(double hz, double rate) {
  const double w = 2 * std::numbers::pi * hz / rate;
  return std::max(0.3, 1 / (2 * std::sinh(std::numbers::ln2 / 2 * octaves * w / std::sin(w))));
}

bool inside(size_t band, double rate) { return centres()[band] < 0.47 * rate; }

double bell_db(double centre, double gain_db, double hz, double rate) {
  return 20 * std::log10(std::abs(response(
                  design_biquad(BiquadKind::bell, centre, q_at(centre, rate), gain_db, rate), hz,
                  rate)));
}

// Gauss and Jordan with row exchange.
Matrix inverse(Matrix a) {
  Matrix out{};
  for (size_t i = 0; i < bands; ++i) out[i][i] = 1;
  for (size_t i = 0; i < bands; ++i) {
    size_t pivot = i;
    for (size_t r = i; r < bands; ++r)
      if (std::abs(a[r][i]) > std::abs(a[pivot][i])) pivot = r;
    std::swap(a[i], a[pivot]);
    std::swap(out[i], out[pivot]);
    const double d = a[i][i];
    for (size_t c = 0; c < bands; ++c) a[i][c] /= d, out[i][c] /= d;
    for (size_t r = 0; r < bands; ++r) {
      if (r == i) continue;
      const double f = a[r][i];
      for (size_t c = 0; c < bands; ++c) a[r][c] -= f * a[i][c], out[r][c] -= f * out[i][c];
    }
  }
  return out;
}

// What each bell gives at its neighbours' centres, per dB of its own, undone.
Matrix undo_neighbours(double rate) {
  Matrix a{};
  for (size_t i = 0; i < bands; ++i)
    for (size_t j = 0; j < bands; ++j)
      a[i][j] = !inside(i, rate) || !inside(j, rate)
                    ? (i == j ? 1.0 : 0.0)
                    : bell_db(centres()[j], 10, centres()[i], rate) / 10;
  return inverse(a);
}

// Bells whose sum meets the wanted levels at every centre although neighbours interact: solved as if
// they added up linearly, then corrected by what is still missing (as V. Välimäki and J. Liski,
// "Accurate cascade graphic equalizer", IEEE Signal Processing Letters 24(2), 2017, but iterated).
FilterSlots design(const Settings& s, double rate, const Matrix& undo) noexcept {
  FilterSlots out;
  if (std::ranges::all_of(s.values, [](double v) { return v == 0; })) return out;
  Vector gain{};
  Vector missing{};
  for (size_t b = 0; b < bands; ++b) missing[b] = inside(b, rate) ? s[b] : 0;
  for (int round = 0; round < 6; ++round) {
    for (size_t i = 0; i < bands; ++i) {
      double step = 0;
      for (size_t j = 0; j < bands; ++j) step += undo[i][j] * missing[j];
      gain[i] = std::clamp(gain[i] + step, -40.0, 40.0);
    }
    for (size_t i = 0; i < bands; ++i) {
      if (!inside(i, rate)) continue;
      double there = 0;
      for (size_t j = 0; j < bands; ++j)
        if (inside(j, rate)) there += bell_db(centres()[j], gain[j], centres()[i], rate);
      missing[i] = s[i] - there;
    }
  }
  for (size_t b = 0; b < bands; ++b)
    if (inside(b, rate))
      out[b] =
          design_biquad(BiquadKind::bell, centres()[b], q_at(centres()[b], rate), gain[b], rate);
  return out;
}

class OctaveBands final : public Processor {
 public:
  OctaveBands(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        undo_(undo_neighbours(format.rate)),
        bank_(format, design(s, format.rate, undo_)) {}
  void process(const AudioBlock& block) noexcept override { bank_.process(block); }
  Samples tail() const noexcept override { return bank_.tail(); }
  void reset() noexcept override { bank_.reset(); }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    bank_.set(design(settings_, rate_, undo_));
  }

 private:
  Settings settings_;
  double rate_;
  Matrix undo_;
  FilterBank bank_;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<OctaveBands>(s, format);
}

double response_at(const Settings& s, double hz, double rate) {
  // A picture asks for hundreds of points of one curve.
  thread_local Settings last;
  thread_local double last_rate = 0;
  thread_local FilterSlots slots;
  if (last != s || last_rate != rate) {
    slots = design(s, rate, undo_neighbours(rate));
    last = s;
    last_rate = rate;
  }
  return response_db(slots, hz, rate);
}

std::string brief(const Settings& s) {
  const auto [least, most] = std::ranges::minmax(s.values);
  return least == 0 && most == 0 ? "flat" : fmt::format("{:+.0f} to {:+.0f} dB", least, most);
}

StepType make_type() {
  StepType t{.id = "octave-bands",
             .label = "Octave bands",
             .summary = "a level for each of ten octaves",
             .family = Family::tone,
             .parameters = {},
             .starting_points = {{"Voice by octaves",
                                  "out at the bottom, clear in the middle, a little air",
                                  {{"band_31_db", -12},
                                   {"band_63_db", 1.5},
                                   {"band_125_db", 1.5},
                                   {"band_500_db", -3},
                                   {"band_4k_db", -3},
                                   {"band_8k_db", 1.5},
                                   {"band_16k_db", 2}}},
                                 {"Soft voice near the microphone",
                                  "less breath and chest, more word",
                                  {{"band_31_db", -9},
                                   {"band_63_db", -6},
                                   {"band_125_db", -3},
                                   {"band_2k_db", 2},
                                   {"band_4k_db", 2.5}}},
                                 {"Behind a door",
                                  "what a thick door lets through",
                                  {{"band_1k_db", -4},
                                   {"band_2k_db", -8},
                                   {"band_4k_db", -12},
                                   {"band_8k_db", -12},
                                   {"band_16k_db", -12}}}},
             .make = make,
             .traits = {.bends_tone = true, .only_once = true},
             .brief = brief,
             .picture = {}};
  ResponseSpec picture{.response_db = response_at, .most_db = 20, .least_db = -20};
  for (size_t b = 0; b < bands; ++b) {
    t.parameters.push_back({.id = ids[b],
                            .label = labels[b],
                            .unit = "dB",
                            .least = -12,
                            .most = 12,
                            .standard = 0,
                            .help = "Level of this octave, in dB; its neighbours are kept where "
                                    "they are drawn."});
    picture.bands.push_back({.gain = static_cast<int>(b), .fixed_hz = centres()[b]});
  }
  t.picture = std::move(picture);
  return t;
}

}  // namespace

const StepType& octave_bands_step() {
  static const StepType type = make_type();
  return type;
}

}  // namespace drevan
