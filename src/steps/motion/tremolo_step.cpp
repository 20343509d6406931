// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>

#include "steps/common_parameters.h"
#include "steps/motion/modulator.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { rate_hz, depth_pct, shape, phase_deg, moved_by, out };

// Gain at an oscillator's value: from 1 down by the depth.
double gain_at(double depth, double value) { return 1 - depth * (1 - value) / 2; }

class Tremolo final : public Processor {
 public:
  Tremolo(const Settings& s, StreamFormat format)
      : channels_in_(format.channels), channels_out_(channels_by_out<out>(s, format.channels)) {
    modulator_.prepare(format.rate, s[rate_hz], static_cast<int>(s[shape]),
                       static_cast<int>(s[moved_by]), s[phase_deg]);
    depth_.prepare(format.rate, 20, s[depth_pct] / 100);
  }
  void process(const AudioBlock& block) noexcept override {
    const auto n = static_cast<size_t>(block.frames());
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (size_t i = 0; i < n; ++i) {
      const auto value = modulator_.next(frame_power(block, i));
      const double depth = depth_.next();
      for (int c = 0; c < channels_out_; ++c)
        block.channel(c)[i] *= static_cast<float>(gain_at(depth, value[c == 1 ? 1 : 0]));
    }
  }
  void reset() noexcept override {
    modulator_.reset();
    depth_.jump(depth_.goal());
  }
  void place(Samples frame) noexcept override { modulator_.place(frame); }
  void set(int parameter, double value) noexcept override {
    if (parameter == rate_hz) modulator_.set_rate(value);
    if (parameter == depth_pct) depth_.set(value / 100);
    if (parameter == shape) modulator_.set_shape(static_cast<int>(value));
    if (parameter == phase_deg) modulator_.set_phase(value);
    if (parameter == moved_by) modulator_.set_moved_by(static_cast<int>(value));
  }

 private:
  int channels_in_, channels_out_;
  Modulator modulator_;
  Smoothed depth_;
};

double picture_at(const Settings& s, double cycles, int) {
  return std::max(
      -40.0, to_db(gain_at(s[depth_pct] / 100,
                           lfo_value(static_cast<LfoShape>(static_cast<int>(s[shape])), cycles))));
}

}  // namespace

const StepType& tremolo_step() {
  static const StepType type{
      .id = "tremolo",
      .label = "Tremolo",
      .summary = "makes a sound swell and fall, again and again",
      .family = Family::motion,
      .parameters = {rate_parameter(0.1, 30, 5),
                     {.id = "depth_pct",
                      .label = "Depth",
                      .unit = "%",
                      .least = 0,
                      .most = 100,
                      .standard = 60,
                      .help = "How far down it goes: 100 % is to silence."},
                     shape_parameter(),
                     phase_parameter(),
                     moved_by_parameter(),
                     out_parameter()},
      .starting_points =
          {{"Trembling", "a voice that is cold or afraid", {{"rate_hz", 7}, {"depth_pct", 35}}},
           {"Wings", "air beaten near the ear", {{"rate_hz", 14}, {"depth_pct", 85}, {"shape", 4}}},
           {"Engine", "a machine's beat", {{"rate_hz", 22}, {"depth_pct", 70}, {"shape", 1}}},
           {"Gusts",
            "wind that rises and falls",
            {{"rate_hz", 0.4}, {"depth_pct", 60}, {"shape", 5}}}},
      .make = make_work<Tremolo>,
      .channels_out = channels_by_out<out>,
      .brief =
          [](const Settings& s) {
            return s[moved_by] == moved_by_voice ? std::string("by its loudness")
                                                 : fmt::format("{:.1f} Hz", s[rate_hz]);
          },
      .picture = MotionSpec{.at = picture_at,
                            .least = -40,
                            .most = 3,
                            .unit = "dB",
                            .rate = rate_hz,
                            .depth = depth_pct,
                            .phase = phase_deg,
                            .moved_by = moved_by,
                            .shape = shape},
  };
  return type;
}

}  // namespace drevan
