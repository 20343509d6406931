// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "dsp/gain.h"
#include "dsp/sums.h"
#include "measure/levels.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { measure, target_db, over };
enum Over : int { each_clip, whole_group };
enum Measure : int { sample_peak, true_peak, loudness };

// No recording is worth lifting further; near-silence would become pure noise.
constexpr double most_gain_db = 60;

// The finding is one value, the measured level in dB.
double gain_for(double target, const Findings& found) {
  if (found.empty()) return 0;
  return std::min(target - static_cast<double>(found.values[0]), most_gain_db);
}

class Measurer final : public Learner {
 public:
  Measurer(int what, StreamFormat format) : what_(what) {
    // The sample peak needs no meter.
    if (what != sample_peak)
      meter_.emplace(format, what == true_peak ? Detail::peaks : Detail::quick);
  }
  void hear(const AudioBlock& block) override {
    if (meter_) return meter_->hear(block);
    for (int c = 0; c < block.channels(); ++c)
      peak_ = std::max(peak_, largest_magnitude(block.channel(c)));
  }
  Findings findings() const override {
    std::optional<double> value;
    if (what_ == sample_peak && peak_ > 0) value = to_db(static_cast<double>(peak_));
    if (what_ == true_peak) value = meter_->levels().true_peak_dbtp;
    if (what_ == loudness) value = meter_->levels().loudness_lufs;
    return value ? Findings{{static_cast<float>(*value)}} : Findings{};
  }

 private:
  int what_;
  float peak_ = 0;
  std::optional<LevelMeter> meter_;
};

class Normalise final : public Processor {
 public:
  Normalise(const Settings& s, const Findings& found, StreamFormat format)
      : target_(s[target_db]), found_(found) {
    // Room for a later finding, so that taking one on allocates nothing.
    found_.values.reserve(1);
    gain_.prepare(format.rate, gain_for(target_, found_));
  }
  void process(const AudioBlock& block) noexcept override { gain_.process(block); }
  void reset() noexcept override { gain_.settle(); }
  void set(int parameter, double value) noexcept override {
    if (parameter == target_db) target_ = value;
    gain_.set_db(gain_for(target_, found_));
  }
  void set_findings(const Findings& found) noexcept override {
    found_.values.assign(found.values.begin(),
                         found.values.begin() + (found.values.empty() ? 0 : 1));
    gain_.set_db(gain_for(target_, found_));
  }

 private:
  double target_;
  Findings found_;
  GlidingGain gain_;
};

std::unique_ptr<Learner> learn(const Settings& s, StreamFormat format) {
  return std::make_unique<Measurer>(static_cast<int>(s[measure]), format);
}

std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<Normalise>(s, found, format);
}

std::string brief(const Settings& s) {
  const auto what = static_cast<int>(s[measure]);
  const char* whose = static_cast<int>(s[over]) == whole_group ? "group " : "";
  if (what == loudness) return fmt::format("{}{:.1f} LUFS", whose, s[target_db]);
  return fmt::format("{}{} {:.1f}", whose, what == true_peak ? "true peak" : "peak", s[target_db]);
}

StepType make_type() {
  auto what = choice_parameter(
      "measure", "Measure",
      {{"sample_peak", "Sample peak"}, {"true_peak", "True peak"}, {"loudness", "Loudness"}},
      sample_peak,
      "What is brought to the goal: the largest sample, the peak between "
      "samples (dBTP), or the loudness of the whole clip (LUFS).");
  what.learned_from = true;
  auto whose =
      choice_parameter("over", "Over", {{"clip", "Each clip"}, {"group", "Whole group"}}, each_clip,
                       "In a group's or the reel's chain: whether each clip is measured by itself, "
                       "or all clips of the group "
                       "as one, so that all get the same gain and their differences stay.");
  whose.learned_from = true;
  return {
      .id = "normalise",
      .label = "Normalise",
      .summary = "one gain for the whole clip that brings its level to a goal",
      .family = Family::level,
      .parameters = {what,
                     {.id = "target_db",
                      .label = "Goal",
                      .unit = "dB",
                      .least = -60,
                      .most = 0,
                      .standard = -3,
                      .help = "The level to reach: dBFS, dBTP or LUFS, as measured."},
                     whose},
      .starting_points = {{"Voice peaks", "the usual goal for voice", {{"target_db", -3}}},
                          {"Safe for coding",
                           "peaks that stay clean after lossy coding",
                           {{"measure", true_peak}, {"target_db", -1}}},
                          {"Even speech",
                           "the same loudness for every speaker",
                           {{"measure", loudness}, {"target_db", -18}}}},
      .hears = Hears::whole_clip,
      .shares = [](const Settings& s) { return static_cast<int>(s[over]) == whole_group; },
      .learn = learn,
      .make = make,
      .traits = {.role = Role::normalise},
      .brief = brief,
      .picture = LevelsSpec{.line = target_db},
      .revision = 2,
  };
}

}  // namespace

const StepType& normalise_step() {
  static const StepType type = make_type();
  return type;
}

}  // namespace drevan
