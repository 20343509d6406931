// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/clones.h"
#include "dsp/envelope.h"
#include "dsp/fast_math.h"
#include "dsp/gain.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  detector,
  threshold_db,
  ratio,
  knee_db,
  attack_ms,
  release_ms,
  make_up_db,
  mix_pct,
  hold_below_db
};
enum Detector : int { peak, rms };

constexpr double rms_window_ms = 10;
constexpr double hold_off_db = -90;
// How long a peak is taken for the level when the gain is held: longer than a low voice's period.
constexpr double hold_release_ms = 15;

// Reduction in dB (>= 0) at level `x` dB: Giannoulis, Massberg and Reiss, "Digital Dynamic Range
// Compressor Design", JAES 60(6), 2012, eq. 4: straight, quadratic within the knee, straight.
// Written without a branch: `bent` runs through the knee, what lies beyond it is straight.
template <class T>
T reduction(T x, T threshold, T slope, T knee) noexcept {
  const T over = x - threshold + knee / 2;
  const T bent = std::min(std::max(over, T(0)), knee);
  const T inverse = T(0.5) / std::max(knee, T(1e-6));
  return slope * (bent * bent * inverse + std::max(over - knee, T(0)));
}

// Level in dB from amplitude (scale 6.02) or power (3.01).
DREVAN_CLONES void to_level(float* __restrict x, size_t n, float scale) noexcept {
  for (size_t i = 0; i < n; ++i) x[i] = scale * fast_log2(std::max(x[i], 1e-20F));
}
// No branch in it, so that it runs several samples at a time.
DREVAN_CLONES void to_reduction(float* __restrict level, size_t n, float threshold, float slope,
                                float knee) noexcept {
  for (size_t i = 0; i < n; ++i) level[i] = reduction(level[i], threshold, slope, knee);
}
DREVAN_CLONES void to_gain(float* __restrict reduced, size_t n, float make_up_db,
                           float mix) noexcept {
  for (size_t i = 0; i < n; ++i)
    reduced[i] = 1.0F + mix * (fast_exp2((make_up_db - reduced[i]) * 0.166096405F) - 1.0F);
}

class Compressor final : public Processor {
 public:
  Compressor(const Settings& s, StreamFormat format) : settings_(s), rate_(format.rate) {
    threshold_.prepare(rate_, 5, s[threshold_db]);
    slope_.prepare(rate_, 5, slope());
    knee_.prepare(rate_, 5, s[knee_db]);
    make_up_.prepare(rate_, 5, s[make_up_db]);
    mix_.prepare(rate_, 5, s[mix_pct] / 100);
    square_.set(rms_window_ms, rate_);
    smoother_.set(s[attack_ms], s[release_ms], rate_);
    heard_.set(0, hold_release_ms, rate_);
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk);
      compress(block.part(done, n));
      done += n;
    }
  }
  void reset() noexcept override {
    square_.reset();
    smoother_.reset();
    heard_.reset();
    for (Smoothed* s : {&threshold_, &slope_, &knee_, &make_up_, &mix_}) s->jump(s->goal());
    level_ = silence_db;
    reduced_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    threshold_.set(settings_[threshold_db]);
    slope_.set(slope());
    knee_.set(settings_[knee_db]);
    make_up_.set(settings_[make_up_db]);
    mix_.set(settings_[mix_pct] / 100);
    smoother_.set(settings_[attack_ms], settings_[release_ms], rate_);
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_);
    out[1] = static_cast<float>(reduced_);
    return 2;
  }

 private:
  static constexpr int chunk = 256;
  using Lane = std::array<float, chunk>;

  double slope() const { return 1 - 1 / settings_[ratio]; }

  // All channels share one gain, set by the loudest: the picture in stereo stays put.
  void detect(const AudioBlock& block, Lane& level) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    std::fill_n(level.begin(), n, 0.0F);
    for (int c = 0; c < block.channels(); ++c) {
      const auto in = block.channel(c);
      for (size_t i = 0; i < n; ++i) level[i] = std::max(level[i], std::abs(in[i]));
    }
    const bool squared = static_cast<int>(settings_[detector]) == rms;
    if (squared)
      for (size_t i = 0; i < n; ++i)
        level[i] = static_cast<float>(square_.process(static_cast<double>(level[i])));
    to_level(level.data(), n, squared ? 3.01029996F : 6.02059991F);
  }

  void compress(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Lane gain;
    detect(block, gain);
    if (n > 0) level_ = static_cast<double>(gain[n - 1]);
    const bool still = !threshold_.moving() && !slope_.moving() && !knee_.moving() &&
                       !make_up_.moving() && !mix_.moving();
    if (still) {
      to_reduction(gain.data(), n, static_cast<float>(threshold_.value()),
                   static_cast<float>(slope_.value()), static_cast<float>(knee_.value()));
      smooth(block, std::span(gain).first(n));
      to_gain(gain.data(), n, static_cast<float>(make_up_.value()),
              static_cast<float>(mix_.value()));
    } else {
      for (size_t i = 0; i < n; ++i)
        gain[i] = reduction(gain[i], static_cast<float>(threshold_.next()),
                            static_cast<float>(slope_.next()), static_cast<float>(knee_.next()));
      smooth(block, std::span(gain).first(n));
      for (size_t i = 0; i < n; ++i)
        to_gain(&gain[i], 1, static_cast<float>(make_up_.next()), static_cast<float>(mix_.next()));
    }
    if (n > 0) reduced_ = smoother_.value();
    for (int c = 0; c < block.channels(); ++c) {
      const auto x = block.channel(c);
      for (size_t i = 0; i < n; ++i) x[i] *= gain[i];
    }
  }

  // Attack and release; where the sound is below the hold's level the reduction stays as it is.
  void smooth(const AudioBlock& block, std::span<float> reduced) noexcept {
    if (settings_[hold_below_db] <= hold_off_db) return smoother_.process(reduced);
    const double least = from_db(settings_[hold_below_db]);
    size_t from = 0;  // of what is not held
    for (size_t i = 0; i < reduced.size(); ++i) {
      double peak = 0;
      for (int c = 0; c < block.channels(); ++c)
        peak = std::max(peak, static_cast<double>(std::abs(block.channel(c)[i])));
      if (heard_.process(peak) >= least) continue;
      smoother_.process(reduced.subspan(from, i - from));
      reduced[i] = static_cast<float>(smoother_.value());
      from = i + 1;
    }
    smoother_.process(reduced.subspan(from));
  }

  Settings settings_;
  double rate_;
  Smoothed threshold_, slope_, knee_, make_up_, mix_;
  MeanSquare square_;
  DecoupledDetector smoother_;
  BranchingDetector heard_;
  double level_ = silence_db;
  double reduced_ = 0;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Compressor>(s, format);
}

double transfer_db(const Settings& s, double in_db) {
  const double wet = from_db(
      in_db - reduction(in_db, s[threshold_db], 1 - 1 / s[ratio], s[knee_db]) + s[make_up_db]);
  const double mix = s[mix_pct] / 100;
  return to_db(mix * wet + (1 - mix) * from_db(in_db));
}

std::string brief(const Settings& s) {
  return fmt::format("{:.1f} : 1 at {:.0f}", s[ratio], s[threshold_db]);
}

StepType make_type() {
  return {
      .id = "compressor",
      .label = "Compressor",
      .summary = "evens out loud and quiet words",
      .family = Family::level,
      .parameters = {choice_parameter("detector", "Detector", {{"peak", "Peak"}, {"rms", "RMS"}},
                                      peak,
                                      "What it listens to: every peak, or the power over 10 ms."),
                     {.id = "threshold_db",
                      .label = "Threshold",
                      .unit = "dB",
                      .least = -60,
                      .most = 0,
                      .standard = -15,
                      .help = "Louder than this (dBFS) is turned down."},
                     {.id = "ratio",
                      .label = "Ratio",
                      .unit = ": 1",
                      .least = 1,
                      .most = 20,
                      .standard = 3,
                      .scale = Scale::logarithmic,
                      .help = "Above the threshold this many dB in become 1 dB out."},
                     {.id = "knee_db",
                      .label = "Knee",
                      .unit = "dB",
                      .least = 0,
                      .most = 24,
                      .standard = 6,
                      .help = "Width in dB over which the curve bends round the threshold."},
                     {.id = "attack_ms",
                      .label = "Attack",
                      .unit = "ms",
                      .least = 0,
                      .most = 200,
                      .standard = 5,
                      .help = "How soon it turns down, in ms."},
                     {.id = "release_ms",
                      .label = "Release",
                      .unit = "ms",
                      .least = 5,
                      .most = 2000,
                      .standard = 120,
                      .scale = Scale::logarithmic,
                      .help = "How soon it lets go again, in ms."},
                     {.id = "make_up_db",
                      .label = "Make-up",
                      .unit = "dB",
                      .least = 0,
                      .most = 24,
                      .standard = 0,
                      .help = "Gain after compression, in dB."},
                     {.id = "mix_pct",
                      .label = "Mix",
                      .unit = "%",
                      .least = 0,
                      .most = 100,
                      .standard = 100,
                      .help = "How much of the compressed sound is heard; the rest is untouched."},
                     {.id = "hold_below_db",
                      .label = "Hold below",
                      .unit = "dB",
                      .least = hold_off_db,
                      .most = -20,
                      .standard = hold_off_db,
                      .help = "Below this the gain stays put, so that the room is not pumped up "
                              "between words: well above the room tone, well below speech.",
                      .off_at = hold_off_db}},
      .starting_points =
          {{"Voice, even",
            "words of one speaker at one level",
            {{"threshold_db", -15}, {"ratio", 3}, {"attack_ms", 5}, {"release_ms", 120}}},
           {"Voice, finish",
            "a quick hand that leaves the voice dense",
            {{"threshold_db", -20},
             {"ratio", 2},
             {"attack_ms", 0},
             {"release_ms", 50},
             {"make_up_db", 5}}},
           {"Voice in a room",
            "the gain stays put between words, so that the room is not pumped up",
            {{"threshold_db", -18}, {"ratio", 3}, {"release_ms", 250}, {"hold_below_db", -45}}},
           {"Glue",
            "one or two dB over everything",
            {{"detector", rms},
             {"threshold_db", -18},
             {"ratio", 1.5},
             {"knee_db", 12},
             {"attack_ms", 30},
             {"release_ms", 300}}}},
      .make = make,
      .traits = {.role = Role::compressor,
                 .bends_level = true,
                 .tells = Tells::reduction,
                 .only_once = true},
      .brief = brief,
      .picture = TransferSpec{.transfer_db = transfer_db,
                              .threshold = threshold_db,
                              .ratio = ratio,
                              .make_up = make_up_db,
                              .hold = hold_below_db},
  };
}

}  // namespace

const StepType& compressor_step() {
  static const StepType type = make_type();
  return type;
}

}  // namespace drevan
