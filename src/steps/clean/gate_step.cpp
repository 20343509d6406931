// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/envelope.h"
#include "dsp/fast_math.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  threshold_db,
  ratio,
  range_db,
  attack_ms,
  hold_ms,
  release_ms,
  look_ahead_ms,
  hysteresis_db
};

constexpr double most_look_ahead_ms = 20;

// Reduction in dB (>= 0) at level `x` dB: below the threshold every dB missing becomes `ratio` dB, at
// most `range` dB more in all. Giannoulis, Massberg and Reiss 2012, section 1.2 (expansion), without
// a knee.
double reduction(double x, double threshold, double ratio_, double range) noexcept {
  return std::clamp((threshold - x) * (ratio_ - 1), 0.0, range);
}

class Gate final : public Processor {
 public:
  Gate(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        delay_(format.channels, frames(most_look_ahead_ms)),
        lag_(frames(most_look_ahead_ms)) {
    apply();
    reset();
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, chunk);
      expand(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return delay_.frames(); }
  void reset() noexcept override {
    delay_.reset();
    lag_.reset();
    level_.reset(silence_db);
    gain_.reset();
    open_ = true;
    held_ = 0;
    reduced_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    apply();
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_.value());
    out[1] = static_cast<float>(reduced_);
    return 2;
  }

 private:
  static constexpr int chunk = 128;

  int frames(double ms) const { return static_cast<int>(std::lround(ms * rate_ / 1000)); }
  void apply() noexcept {
    // The detector falls by 20 dB in some 45 ms: over a low voice's period it stays up.
    level_.set(0, 20, rate_);
    // Opening is the reduction's fall, closing its rise.
    gain_.set(settings_[release_ms] / 2.2, settings_[attack_ms] / 2.2, rate_);
    wait_ = delay_.frames() - frames(settings_[look_ahead_ms]);
  }

  // Open from the threshold up, closed from the hysteresis below it; a closing gate first waits.
  double wanted(double level) noexcept {
    const double threshold = settings_[threshold_db];
    if (level >= threshold) open_ = true, held_ = 0;
    const double closes = threshold - settings_[hysteresis_db];
    if (open_ && level >= closes) {
      held_ = 0;
      return 0;
    }
    if (held_ < frames(settings_[hold_ms])) {
      ++held_;
      return 0;
    }
    open_ = false;
    return reduction(level, threshold, settings_[ratio], settings_[range_db]);
  }

  void expand(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    std::array<float, chunk> gain;
    for (size_t i = 0; i < n; ++i) {
      float peak = 1e-10F;
      for (int c = 0; c < block.channels(); ++c)
        peak = std::max(peak, std::abs(block.channel(c)[i]));
      const double level = level_.process(6.0206 * static_cast<double>(fast_log2(peak)));
      reduced_ = gain_.process(lag_.process(wanted(level), wait_));
      gain[i] = reduced_ < 1e-4 ? 1.0F : fast_exp2(static_cast<float>(reduced_ * -0.166096405));
    }
    delay_.process(block);
    for (int c = 0; c < block.channels(); ++c)
      for (size_t i = 0; i < n; ++i) block.channel(c)[i] *= gain[i];
  }

  Settings settings_;
  double rate_;
  Delay delay_;
  LagLine lag_;
  int wait_ = 0, held_ = 0;
  BranchingDetector level_, gain_;
  bool open_ = true;
  double reduced_ = 0;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Gate>(s, format);
}

double transfer_db(const Settings& s, double in_db) {
  return in_db - reduction(in_db, s[threshold_db], s[ratio], s[range_db]);
}

std::string brief(const Settings& s) {
  return fmt::format("below {:.0f}, {:.0f} dB", s[threshold_db], s[range_db]);
}

}  // namespace

const StepType& gate_step() {
  static const StepType type{
      .id = "gate",
      .label = "Gate",
      .summary = "turns down what lies below its threshold",
      .family = Family::clean,
      .parameters = {{.id = "threshold_db",
                      .label = "Threshold",
                      .unit = "dB",
                      .least = -80,
                      .most = 0,
                      .standard = -40,
                      .help = "Level below which it turns down, in dBFS: well above the noise, "
                              "well below the quiet words."},
                     {.id = "ratio",
                      .label = "Ratio",
                      .unit = ": 1",
                      .least = 1,
                      .most = 20,
                      .standard = 2,
                      .scale = Scale::logarithmic,
                      .help = "How many dB it falls for every dB below the threshold. 2 is a soft "
                              "expander, 20 a gate."},
                     {.id = "range_db",
                      .label = "Range",
                      .unit = "dB",
                      .least = 0,
                      .most = 80,
                      .standard = 12,
                      .help = "The most it turns down, in dB. 6 to 12 keeps the room alive."},
                     {.id = "attack_ms",
                      .label = "Attack",
                      .unit = "ms",
                      .least = 0.1,
                      .most = 100,
                      .standard = 2,
                      .scale = Scale::logarithmic,
                      .help = "How soon it opens, in ms."},
                     {.id = "hold_ms",
                      .label = "Hold",
                      .unit = "ms",
                      .least = 0,
                      .most = 2000,
                      .standard = 120,
                      .help = "How long it stays open after the level has fallen, in ms."},
                     {.id = "release_ms",
                      .label = "Release",
                      .unit = "ms",
                      .least = 5,
                      .most = 2000,
                      .standard = 200,
                      .scale = Scale::logarithmic,
                      .help = "How soon it closes then, in ms."},
                     {.id = "look_ahead_ms",
                      .label = "Look-ahead",
                      .unit = "ms",
                      .least = 0,
                      .most = most_look_ahead_ms,
                      .standard = 5,
                      .help =
                          "How early it opens before a word, in ms, so that no consonant is cut."},
                     {.id = "hysteresis_db",
                      .label = "Hysteresis",
                      .unit = "dB",
                      .least = 0,
                      .most = 12,
                      .standard = 3,
                      .help = "How far below the threshold the level must fall before it closes, "
                              "in dB: keeps it from "
                              "fluttering."}},
      .starting_points = {{"Between the words",
                           "lowers a room a little where nobody speaks",
                           {{"threshold_db", -40}, {"range_db", 8}}},
                          {"Lively room",
                           "pulls down the reverberation after words",
                           {{"threshold_db", -34},
                            {"ratio", 1.6},
                            {"range_db", 10},
                            {"hold_ms", 60},
                            {"release_ms", 350}}},
                          {"Effects, shut",
                           "silence between separate sounds",
                           {{"threshold_db", -45},
                            {"ratio", 10},
                            {"range_db", 60},
                            {"hold_ms", 250},
                            {"release_ms", 120}}}},
      .make = make,
      .traits = {.role = Role::gate, .tells = Tells::reduction},
      .brief = brief,
      .picture = TransferSpec{.transfer_db = transfer_db,
                              .threshold = threshold_db,
                              .ratio = ratio,
                              .bends_below = true},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
