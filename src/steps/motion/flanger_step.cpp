// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "dsp/fractional_delay.h"
#include "steps/common_parameters.h"
#include "steps/motion/modulator.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { rate_hz, delay_ms, depth_ms, feedback_pct, shape, phase_deg, mix_pct, out, level };

constexpr double most_delay_ms = 10, most_depth_ms = 10;

double delay_at(double delay, double depth, double value) {
  return delay + depth * (1 + value) / 2;
}

// A copy a few milliseconds late, whose delay moves, beside the sound: a comb whose teeth wander
// (J. Dattorro, "Effect Design, Part 2", JAES 45(10), 1997; U. Zoelzer, "DAFX", 2nd edition, 2011,
// 2.6).
class Flanger final : public Processor {
 public:
  Flanger(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)) {
    const double most = (most_delay_ms + most_depth_ms) / 1000 * format.rate;
    for (int c = 0; c < channels_out_; ++c) lines_.emplace_back(most + FractionalDelay::least);
    modulator_.prepare(format.rate, s[rate_hz], static_cast<int>(s[shape]), moved_by_clock,
                       s[phase_deg]);
    for (auto [value, start] : {std::pair{&depth_, s[depth_ms]},
                                {&delay_, s[delay_ms]},
                                {&feedback_, s[feedback_pct] / 100},
                                {&mix_, s[mix_pct] / 100}})
      value->prepare(format.rate, 30, start);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto value = modulator_.next(0);
      const double depth = depth_.next(), delay = delay_.next();
      const double feedback = feedback_.next(), mix = mix_.next();
      for (int c = 0; c < channels_out_; ++c) {
        auto& line = lines_[static_cast<size_t>(c)];
        float& x = block.channel(c)[i];
        // What is read before this frame is written is one frame nearer.
        const double ms = delay_at(delay, depth, value[c == 1 ? 1 : 0]);
        const double frames = std::max(FractionalDelay::least, ms / 1000 * rate_ - 1);
        const double late = static_cast<double>(line.read(frames));
        line.write(static_cast<float>(static_cast<double>(x) + feedback * late));
        x = static_cast<float>((1 - mix) * static_cast<double>(x) + mix * late);
      }
    }
  }
  Samples tail() const noexcept override {
    const double longest = std::max(0.001, delay_.goal() / 1000 + depth_.goal() / 1000);
    const double loop = std::abs(feedback_.goal());
    const double rounds = loop < 0.01 ? 2 : 2 + std::log(1e-4) / std::log(loop);
    return static_cast<Samples>(rounds * longest * rate_) + 64;
  }
  void reset() noexcept override {
    for (auto& l : lines_) l.reset();
    modulator_.reset();
    for (Smoothed* s : {&depth_, &delay_, &feedback_, &mix_}) s->jump(s->goal());
  }
  void place(Samples frame) noexcept override { modulator_.place(frame); }
  void set(int parameter, double value) noexcept override {
    if (parameter == rate_hz) modulator_.set_rate(value);
    if (parameter == depth_ms) depth_.set(value);
    if (parameter == delay_ms) delay_.set(value);
    if (parameter == feedback_pct) feedback_.set(value / 100);
    if (parameter == shape) modulator_.set_shape(static_cast<int>(value));
    if (parameter == phase_deg) modulator_.set_phase(value);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  double rate_;
  int channels_in_, channels_out_;
  std::vector<FractionalDelay> lines_;
  Modulator modulator_;
  Smoothed depth_, delay_, feedback_, mix_;
};

double picture_at(const Settings& s, double cycles, int) {
  return delay_at(s[delay_ms], s[depth_ms],
                  lfo_value(static_cast<LfoShape>(static_cast<int>(s[shape])), cycles));
}

}  // namespace

const StepType& flanger_step() {
  static const StepType type{
      .id = "flanger",
      .label = "Flanger",
      .summary = "a comb of notches that wanders: jets, tubes, metal",
      .family = Family::motion,
      .parameters =
          {rate_parameter(0.02, 8, 0.25),
           {.id = "delay_ms",
            .label = "Delay",
            .unit = "ms",
            .least = 0.4,
            .most = most_delay_ms,
            .standard = 1,
            .scale = Scale::logarithmic,
            .help = "The shortest delay of the copy: the first notch stands at a half over it."},
           {.id = "depth_ms",
            .label = "Depth",
            .unit = "ms",
            .least = 0,
            .most = most_depth_ms,
            .standard = 3,
            .help = "How far the delay wanders, in ms."},
           {.id = "feedback_pct",
            .label = "Feedback",
            .unit = "%",
            .least = -95,
            .most = 95,
            .standard = 40,
            .help = "How much of the copy goes round again; below 0 turned over."},
           shape_parameter(),
           phase_parameter(),
           mix_parameter(50),
           out_parameter(),
           level_parameter()},
      .starting_points =
          {{"Passing jet",
            "slow and hollow",
            {{"rate_hz", 0.1}, {"depth_ms", 6}, {"feedback_pct", 60}}},
           {"In a tube",
            "a short, standing resonance",
            {{"rate_hz", 0.05}, {"delay_ms", 3}, {"depth_ms", 0.2}, {"feedback_pct", 80}}},
           {"Metal voice",
            "quick, with the copy turned over",
            {{"rate_hz", 3}, {"delay_ms", 0.8}, {"depth_ms", 0.8}, {"feedback_pct", -75}}}},
      .make = make_work<Flanger>,
      .channels_out = channels_by_out<out>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return fmt::format("{:.2f} Hz", s[rate_hz]); },
      .picture = MotionSpec{.at = picture_at,
                            .least = 0,
                            .most = most_delay_ms + most_depth_ms,
                            .unit = "ms",
                            .rate = rate_hz,
                            .depth = depth_ms,
                            .bottom = delay_ms,
                            .phase = phase_deg},
  };
  return type;
}

}  // namespace drevan
