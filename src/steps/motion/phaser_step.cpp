// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "dsp/morph_filter.h"
#include "dsp/svf.h"
#include "steps/common_parameters.h"
#include "steps/motion/modulator.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  rate_hz,
  stages,
  low_hz,
  high_hz,
  feedback_pct,
  shape,
  phase_deg,
  mix_pct,
  out,
  level
};

constexpr int most_stages = 12;

double corner_hz(double low, double high, double value) {
  return low * std::pow(high / low, (value + 1) / 2);
}

// All-passes of the first order in a row beside the sound: where they turn it over is a notch
// (U. Zoelzer, "DAFX", 2nd edition, 2011, 2.4.2). Two stages make one notch.
class Phaser final : public Processor {
 public:
  Phaser(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        count_(static_cast<size_t>(s[stages]) / 2 * 2),
        lanes_(static_cast<size_t>(channels_out_)) {
    modulator_.prepare(format.rate, s[rate_hz], static_cast<int>(s[shape]), moved_by_clock,
                       s[phase_deg]);
    for (auto [value, start] : {std::pair{&low_, std::log(s[low_hz])},
                                {&high_, std::log(s[high_hz])},
                                {&feedback_, s[feedback_pct] / 100},
                                {&mix_, s[mix_pct] / 100}})
      value->prepare(format.rate, 20, start);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto value = modulator_.next(0);
      const double low = low_.next(), high = high_.next();
      const double feedback = feedback_.next(), mix = mix_.next();
      std::array<double, 2> g{};
      for (size_t side = 0; side < (channels_out_ > 1 ? 2U : 1U); ++side) {
        if (corners_[side].wants())
          corners_[side].aim(warped(std::exp(low + (high - low) * (value[side] + 1) / 2)));
        const double warped_now = corners_[side].next();
        g[side] = warped_now / (1 + warped_now);
      }
      for (int c = 0; c < channels_out_; ++c) {
        Lane& lane = lanes_[static_cast<size_t>(c)];
        float& x = block.channel(c)[i];
        double v = static_cast<double>(x) + feedback * lane.last;
        for (size_t k = 0; k < count_; ++k) v = lane.stages[k].process(v, g[c == 1 ? 1 : 0]);
        lane.last = v;
        x = static_cast<float>((1 - mix) * static_cast<double>(x) + mix * v);
      }
    }
  }
  Samples tail() const noexcept override { return static_cast<Samples>(0.6 * rate_); }
  void reset() noexcept override {
    modulator_.reset();
    for (auto& c : corners_) c.place(0);
    for (auto& lane : lanes_) lane = {};
    for (Smoothed* s : {&low_, &high_, &feedback_, &mix_}) s->jump(s->goal());
  }
  void place(Samples frame) noexcept override {
    modulator_.place(frame);
    for (auto& c : corners_) c.place(frame);
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == rate_hz) modulator_.set_rate(value);
    if (parameter == low_hz) low_.set(std::log(value));
    if (parameter == high_hz) high_.set(std::log(value));
    if (parameter == feedback_pct) feedback_.set(value / 100);
    if (parameter == shape) modulator_.set_shape(static_cast<int>(value));
    if (parameter == phase_deg) modulator_.set_phase(value);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  double warped(double hz) const { return Svf::warped(std::min(hz, 0.45 * rate_), rate_); }

  struct Lane {
    std::array<AllPass1, most_stages> stages{};
    double last = 0;
  };
  double rate_;
  int channels_in_, channels_out_;
  size_t count_;
  std::vector<Lane> lanes_;
  Modulator modulator_;
  std::array<OnGrid, 2> corners_;  // warped
  Smoothed low_, high_, feedback_, mix_;
};

// Notch k of n/2: where each stage turns by its share of an odd number of half circles.
double picture_at(const Settings& s, double cycles, int line) {
  const int n = static_cast<int>(s[stages]) / 2 * 2;
  const double corner = corner_hz(
      s[low_hz], s[high_hz], lfo_value(static_cast<LfoShape>(static_cast<int>(s[shape])), cycles));
  return corner * std::tan((2 * line + 1) * std::numbers::pi / (2 * n));
}

}  // namespace

const StepType& phaser_step() {
  static const StepType type{
      .id = "phaser",
      .label = "Phaser",
      .summary = "a few notches that sweep up and down",
      .family = Family::motion,
      .parameters = {rate_parameter(0.02, 8, 0.4),
                     {.id = "stages",
                      .label = "Stages",
                      .least = 2,
                      .most = most_stages,
                      .standard = 6,
                      .help = "Two stages make one notch.",
                      .fixed = true,
                      .whole = true},
                     corner_parameter("low_hz", "From", 50, 250, "The lowest the sweep goes."),
                     corner_parameter("high_hz", "To", 50, 2500, "The highest the sweep goes."),
                     {.id = "feedback_pct",
                      .label = "Feedback",
                      .unit = "%",
                      .least = -90,
                      .most = 90,
                      .standard = 30,
                      .help = "How sharp what stands between the notches is."},
                     shape_parameter(),
                     phase_parameter(),
                     mix_parameter(50),
                     out_parameter(),
                     level_parameter()},
      .starting_points =
          {{"A dream", "slow, wide", {{"rate_hz", 0.15}, {"stages", 8}, {"feedback_pct", 50}}},
           {"Spell",
            "whirls about a voice",
            {{"rate_hz", 1.2}, {"stages", 12}, {"feedback_pct", 70}}},
           {"Gentle",
            "just alive",
            {{"rate_hz", 0.3}, {"stages", 4}, {"feedback_pct", 0}, {"mix_pct", 30}}}},
      .make = make_work<Phaser>,
      .channels_out = channels_by_out<out>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return fmt::format("{:.2f} Hz", s[rate_hz]); },
      .picture =
          MotionSpec{.at = picture_at,
                     .least = 50,
                     .most = 16000,
                     .unit = "Hz",
                     .logarithmic = true,
                     .rate = rate_hz,
                     .bottom = low_hz,
                     .top = high_hz,
                     .phase = phase_deg,
                     .lines = [](const Settings& s) { return static_cast<int>(s[stages]) / 2; }},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
