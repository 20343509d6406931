// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/clones.h"
#include "dsp/crossover.h"
#include "dsp/envelope.h"
#include "dsp/fast_math.h"
#include "dsp/smoothed.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

constexpr int most_bands = Crossover::most_bands;
constexpr int corners = most_bands - 1;
// The first parameters belong to all bands; then five for each.
enum : int { bands, low_hz, middle_hz, high_hz, shared };
enum : int { threshold_db, ratio, attack_ms, release_ms, gain_db, per_band };
enum Bands : int { three, four };
constexpr double knee_db = 6;

constexpr std::array<std::array<std::string_view, per_band>, most_bands> ids{{
    {"band1_threshold_db", "band1_ratio", "band1_attack_ms", "band1_release_ms", "band1_gain_db"},
    {"band2_threshold_db", "band2_ratio", "band2_attack_ms", "band2_release_ms", "band2_gain_db"},
    {"band3_threshold_db", "band3_ratio", "band3_attack_ms", "band3_release_ms", "band3_gain_db"},
    {"band4_threshold_db", "band4_ratio", "band4_attack_ms", "band4_release_ms", "band4_gain_db"},
}};

int at(int band, int what) { return shared + band * per_band + what; }
int band_count(const Settings& s) { return static_cast<int>(s[bands]) == four ? 4 : 3; }

// Corners in rising order, at least a third of an octave apart, whatever the sliders say.
std::array<double, corners> corners_of(const Settings& s, double rate) {
  std::array<double, corners> hz{s[low_hz], s[middle_hz], s[high_hz]};
  const double step = std::cbrt(2.0);
  hz[1] = std::max(hz[1], hz[0] * step);
  hz[2] = std::max(hz[2], hz[1] * step);
  const double top = 0.45 * rate;
  if (band_count(s) == 3) hz[2] = top;
  hz[2] = std::min(hz[2], top);
  hz[1] = std::min(hz[1], hz[2] / step);
  hz[0] = std::min(hz[0], hz[1] / step);
  return hz;
}

// Power to reduction in dB (>= 0), as in the compressor: straight, bent within the knee, straight.
DREVAN_CLONES void to_reduction(float* __restrict x, size_t n, float threshold,
                                float slope) noexcept {
  constexpr float knee = knee_db;
  for (size_t i = 0; i < n; ++i) {
    const float over = 3.01029996F * fast_log2(x[i]) - threshold + knee / 2;
    const float bent = std::min(std::max(over, 0.0F), knee);
    x[i] = slope * (bent * bent / (2 * knee) + std::max(over - knee, 0.0F));
  }
}
DREVAN_CLONES void to_factor(float* __restrict x, size_t n, float from, float step,
                             int first) noexcept {
  for (size_t i = 0; i < n; ++i)
    x[i] = (from + step * static_cast<float>(first + static_cast<int>(i) + 1)) *
           fast_exp2(x[i] * -0.166096405F);
}

class MultibandCompressor final : public Processor {
 public:
  MultibandCompressor(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        lanes_(static_cast<size_t>(format.channels)),
        split_(static_cast<size_t>(format.channels)) {
    // In octaves: near half the rate a filter bears only small steps.
    for (auto& c : corner_) c.prepare(rate_ / chunk, 30, 10);
    joined_.prepare(rate_ / chunk, 10, 0);
    for (auto& b : band_) {
      for (Smoothed* v : {&b.threshold, &b.ratio, &b.gain}) v->prepare(rate_ / chunk, 10, 0);
      b.level.set(5, rate_);
    }
    apply();
    settle();
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk - filled_);
      if (filled_ == 0) glide();
      compress(block.part(done, n));
      filled_ = (filled_ + n) % chunk;
      done += n;
    }
  }
  Samples tail() const noexcept override {
    return static_cast<Samples>(rate_ * 6 / std::exp2(corner_[0].value()));
  }
  void reset() noexcept override {
    for (auto& l : lanes_) l.reset();
    for (auto& b : band_) {
      b.level.reset();
      b.smoother.reset();
    }
    filled_ = 0;
    settle();
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    apply();
  }
  int readings(std::span<float> out) const noexcept override {
    for (int b = 0; b < most_bands; ++b) {
      out[static_cast<size_t>(2 * b)] = static_cast<float>(band_[static_cast<size_t>(b)].heard_db);
      out[static_cast<size_t>(2 * b + 1)] =
          static_cast<float>(band_[static_cast<size_t>(b)].reduced_db);
    }
    return 2 * band_count(settings_);
  }

 private:
  // Values glide in steps of this many samples, the gain within them in a straight line.
  static constexpr int chunk = 32;
  using Lane = std::array<float, chunk>;
  struct Band {
    Smoothed threshold, ratio, gain;
    MeanSquare level;
    DecoupledDetector smoother;
    double heard_db = silence_db, reduced_db = 0;
    double made_up = 1, made_up_step = 0;
  };

  void apply() noexcept {
    const auto hz = corners_of(settings_, rate_);
    for (size_t i = 0; i < corners; ++i) corner_[i].set(std::log2(hz[i]));
    for (int b = 0; b < most_bands; ++b) {
      Band& band = band_[static_cast<size_t>(b)];
      band.threshold.set(settings_[static_cast<size_t>(at(b, threshold_db))]);
      band.ratio.set(settings_[static_cast<size_t>(at(b, ratio))]);
      band.gain.set(settings_[static_cast<size_t>(at(b, gain_db))]);
      band.smoother.set(settings_[static_cast<size_t>(at(b, attack_ms))],
                        settings_[static_cast<size_t>(at(b, release_ms))], rate_);
    }
    // With three bands the last corner goes out of hearing, and the bands beside it are heard and
    // turned down as one: so the number of bands can be changed without a click.
    joined_.set(band_count(settings_) == 3 ? 1.0 : 0.0);
  }
  void settle() noexcept {
    for (auto& c : corner_) c.jump(c.goal());
    joined_.jump(joined_.goal());
    joined_now_ = joined_.value();
    joined_step_ = 0;
    for (auto& b : band_) {
      for (Smoothed* v : {&b.threshold, &b.ratio, &b.gain}) v->jump(v->goal());
      b.made_up = from_db(b.gain.value());
      b.made_up_step = 0;
    }
    place();
  }
  void place() noexcept {
    const std::array<double, corners> hz{std::exp2(corner_[0].value()),
                                         std::exp2(corner_[1].value()),
                                         std::exp2(corner_[2].value())};
    for (auto& l : lanes_) l.set(hz, rate_);
  }
  void glide() noexcept {
    if (corner_[0].moving() || corner_[1].moving() || corner_[2].moving()) {
      for (auto& c : corner_) c.next();
      place();
    }
    joined_now_ += joined_step_ * chunk;
    joined_step_ = (joined_.next() - joined_now_) / chunk;
    for (auto& b : band_) {
      b.threshold.next();
      b.ratio.next();
      b.made_up += b.made_up_step * chunk;
      b.made_up_step = (from_db(b.gain.next()) - b.made_up) / chunk;
    }
  }

  void compress(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    for (size_t c = 0; c < lanes_.size(); ++c)
      lanes_[c].process(block.channel(static_cast<int>(c)), split_[c]);
    // In a straight line within the chunk, as all gains are.
    Lane joined;
    for (size_t i = 0; i < n; ++i)
      joined[i] =
          static_cast<float>(joined_now_ + joined_step_ * (filled_ + static_cast<int>(i) + 1));
    std::array<Lane, most_bands> gain{};
    for (size_t b = 0; b < most_bands; ++b) {
      // All channels share a band's gain, set by the loudest.
      for (const auto& part : split_)
        for (size_t i = 0; i < n; ++i)
          gain[b][i] =
              std::max(gain[b][i], std::abs(part[b][i] + (b == 2 ? joined[i] * part[3][i] : 0)));
      to_gain(band_[b], std::span(gain[b]).first(n));
    }
    for (size_t i = 0; i < n; ++i) gain[3][i] += joined[i] * (gain[2][i] - gain[3][i]);
    for (size_t c = 0; c < lanes_.size(); ++c) {
      const auto x = block.channel(static_cast<int>(c));
      const auto& part = split_[c];
      for (size_t i = 0; i < n; ++i)
        x[i] = (gain[0][i] * part[0][i] + gain[1][i] * part[1][i]) +
               (gain[2][i] * part[2][i] + gain[3][i] * part[3][i]);
    }
  }
  // The loudest of each frame becomes the gain of the band.
  void to_gain(Band& b, std::span<float> x) const noexcept {
    for (float& v : x) v = static_cast<float>(b.level.process(static_cast<double>(v)) + 1e-20);
    to_reduction(x.data(), x.size(), static_cast<float>(b.threshold.value()),
                 static_cast<float>(1 - 1 / b.ratio.value()));
    b.smoother.process(x);
    b.heard_db = power_to_db(b.level.value());
    b.reduced_db = b.smoother.value();
    to_factor(x.data(), x.size(), static_cast<float>(b.made_up), static_cast<float>(b.made_up_step),
              filled_);
  }

  Settings settings_;
  double rate_;
  std::vector<Crossover> lanes_;
  std::vector<Crossover::Bands> split_;
  std::array<Smoothed, corners> corner_;
  Smoothed joined_;
  double joined_now_ = 0, joined_step_ = 0;
  std::array<Band, most_bands> band_;
  int filled_ = 0;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<MultibandCompressor>(s, format);
}

std::string brief(const Settings& s) { return fmt::format("{} bands", band_count(s)); }

StepType make_type() {
  StepType t{.id = "multiband-compressor",
             .label = "Multiband",
             .summary = "a compressor each for low, middle and high",
             .family = Family::level,
             .parameters = {},
             .starting_points = {{"Voice, steady tone",
                                  "chest and sharpness stay put when the voice gets louder",
                                  {{"low_hz", 180},
                                   {"middle_hz", 2500},
                                   {"band1_threshold_db", -30},
                                   {"band1_ratio", 2.5},
                                   {"band2_threshold_db", -24},
                                   {"band2_ratio", 1.6},
                                   {"band3_threshold_db", -32},
                                   {"band3_ratio", 2}}},
                                 {"Near and far",
                                  "takes the boom only when the speaker leans in",
                                  {{"low_hz", 220},
                                   {"band1_threshold_db", -34},
                                   {"band1_ratio", 4},
                                   {"band1_attack_ms", 15},
                                   {"band1_release_ms", 180},
                                   {"band2_ratio", 1},
                                   {"band3_ratio", 1}}},
                                 {"Dense in four",
                                  "everything held, for small loudspeakers",
                                  {{"bands", four},
                                   {"low_hz", 150},
                                   {"middle_hz", 800},
                                   {"high_hz", 4500},
                                   {"band1_threshold_db", -32},
                                   {"band1_ratio", 3},
                                   {"band1_gain_db", 2},
                                   {"band2_threshold_db", -28},
                                   {"band2_ratio", 3},
                                   {"band2_gain_db", 3},
                                   {"band3_threshold_db", -32},
                                   {"band3_ratio", 3},
                                   {"band3_gain_db", 3},
                                   {"band4_threshold_db", -38},
                                   {"band4_ratio", 2.5},
                                   {"band4_gain_db", 2}}}},
             .make = make,
             .traits = {.bends_level = true, .tells = Tells::reduction_per_band, .only_once = true},
             .brief = brief,
             .picture = {}};
  BandsSpec picture{.count = [](const Settings& s) { return static_cast<int>(s[bands]) + 3; }};
  t.parameters = {choice_parameter("bands", "Bands", {{"three", "Three"}, {"four", "Four"}}, three,
                                   "How many parts the sound is split into."),
                  {.id = "low_hz",
                   .label = "Low to",
                   .unit = "Hz",
                   .least = 60,
                   .most = 600,
                   .standard = 200,
                   .scale = Scale::logarithmic,
                   .help = "Where the lowest band ends, in Hz."},
                  {.id = "middle_hz",
                   .label = "Middle to",
                   .unit = "Hz",
                   .least = 400,
                   .most = 6000,
                   .standard = 2500,
                   .scale = Scale::logarithmic,
                   .help = "Where the second band ends, in Hz."},
                  {.id = "high_hz",
                   .label = "High from",
                   .unit = "Hz",
                   .least = 2000,
                   .most = 14000,
                   .standard = 6000,
                   .scale = Scale::logarithmic,
                   .help = "Where the fourth band begins, in Hz.",
                   .page = 4}};  // shown with the fourth band
  for (int c = 0; c < corners; ++c) picture.corners.push_back(low_hz + c);
  for (int b = 0; b < most_bands; ++b) {
    const auto& id = ids[static_cast<size_t>(b)];
    const int page = b + 1;
    t.parameters.push_back(
        {.id = id[threshold_db],
         .label = "Threshold",
         .unit = "dB",
         .least = -60,
         .most = 0,
         .standard = -28,
         .help = "Louder than this within the band (RMS over 5 ms, dBFS) is turned down.",
         .page = page});
    t.parameters.push_back({.id = id[ratio],
                            .label = "Ratio",
                            .unit = ": 1",
                            .least = 1,
                            .most = 20,
                            .standard = 2,
                            .scale = Scale::logarithmic,
                            .help = "Above the threshold this many dB in become 1 dB out.",
                            .page = page});
    t.parameters.push_back({.id = id[attack_ms],
                            .label = "Attack",
                            .unit = "ms",
                            .least = 0,
                            .most = 200,
                            .standard = 8,
                            .help = "How soon the band is turned down, in ms.",
                            .page = page});
    t.parameters.push_back({.id = id[release_ms],
                            .label = "Release",
                            .unit = "ms",
                            .least = 5,
                            .most = 2000,
                            .standard = 120,
                            .scale = Scale::logarithmic,
                            .help = "How soon the band is let go, in ms.",
                            .page = page});
    t.parameters.push_back({.id = id[gain_db],
                            .label = "Gain",
                            .unit = "dB",
                            .least = -12,
                            .most = 12,
                            .standard = 0,
                            .help = "Gain of the band after compression, in dB.",
                            .page = page});
    picture.bands.push_back({.threshold = at(b, threshold_db), .ratio = at(b, ratio)});
  }
  t.picture = std::move(picture);
  t.revision = 2;
  return t;
}

}  // namespace

const StepType& multiband_compressor_step() {
  static const StepType type = make_type();
  return type;
}

}  // namespace drevan
