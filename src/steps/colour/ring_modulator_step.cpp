// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "dsp/lfo.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { carrier_hz, depth_pct, wander_st, rate_hz, mix_pct, level };

// The sound times a tone: every part of it becomes two, above and below by the tone's frequency.
class RingModulator final : public Processor {
 public:
  RingModulator(const Settings& s, StreamFormat format) : rate_(format.rate) {
    wander_.prepare(format.rate, s[rate_hz]);
    hz_.prepare(format.rate, 20, s[carrier_hz]);
    for (auto [value, start] : {std::pair{&depth_, s[depth_pct] / 100},
                                {&width_, s[wander_st]},
                                {&mix_, s[mix_pct] / 100}})
      value->prepare(format.rate, 20, start);
  }
  void process(const AudioBlock& block) noexcept override {
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const double width = width_.next(), cycles = wander_.next();
      // At a steady tone the phase depends on the frame alone.
      const double tone = std::sin(2 * std::numbers::pi * phase_);
      const double bent = width > 0 ? std::exp2(width / 12 * lfo_value(LfoShape::sine, cycles)) : 1;
      phase_ += hz_.next() * bent / rate_;
      phase_ -= std::floor(phase_);
      const double depth = depth_.next(), mix = mix_.next();
      const auto gain = static_cast<float>(1 - mix + mix * (1 - depth + depth * tone));
      for (int c = 0; c < block.channels(); ++c) block.channel(c)[i] *= gain;
    }
  }
  void reset() noexcept override {
    for (Smoothed* s : {&hz_, &depth_, &width_, &mix_}) s->jump(s->goal());
    place(0);
  }
  void place(Samples frame) noexcept override {
    wander_.place(frame);
    const double cycles = hz_.goal() / rate_ * static_cast<double>(frame);
    phase_ = cycles - std::floor(cycles);
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == carrier_hz) hz_.set(value);
    if (parameter == depth_pct) depth_.set(value / 100);
    if (parameter == wander_st) width_.set(value);
    if (parameter == rate_hz) wander_.set(value);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  double rate_, phase_ = 0;
  Lfo wander_;
  Smoothed hz_, depth_, width_, mix_;
};

double picture_at(const Settings& s, double cycles, int) {
  const double depth = s[depth_pct] / 100, mix = s[mix_pct] / 100;
  return 100 * (1 - mix + mix * (1 - depth + depth * lfo_value(LfoShape::sine, cycles)));
}

}  // namespace

const StepType& ring_modulator_step() {
  static const StepType type{
      .id = "ring-modulator",
      .label = "Ring modulator",
      .summary = "multiplies a sound by a tone: bells, machines, voices from elsewhere",
      .family = Family::colour,
      .parameters =
          {{.id = "carrier_hz",
            .label = "Tone",
            .unit = "Hz",
            .least = 1,
            .most = 8000,
            .standard = 60,
            .scale = Scale::logarithmic,
            .help = "The tone it is multiplied by: low ones flutter, high ones ring.",
            .paces = true},
           {.id = "depth_pct",
            .label = "Depth",
            .unit = "%",
            .least = 0,
            .most = 100,
            .standard = 100,
            .help = "100 % leaves only what is shifted up and down; at 50 % the sound itself is "
                    "there, too."},
           {.id = "wander_st",
            .label = "Wander",
            .unit = "st",
            .least = 0,
            .most = 12,
            .standard = 0,
            .help = "How far the tone goes up and down, in semitones.",
            .paces = true},
           rate_parameter(0.05, 20, 0.5),
           mix_parameter(100),
           level_parameter()},
      .starting_points =
          {{"Machine voice",
            "a plain robot of the early films",
            {{"carrier_hz", 52}, {"mix_pct", 70}}},
           {"Bell", "clangs on every word", {{"carrier_hz", 740}, {"mix_pct", 60}}},
           {"From elsewhere",
            "wavers up and down",
            {{"carrier_hz", 180}, {"wander_st", 5}, {"rate_hz", 0.7}, {"mix_pct", 60}}}},
      .make = make_work<RingModulator>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return fmt::format("{:.0f} Hz", s[carrier_hz]); },
      .picture = MotionSpec{.at = picture_at,
                            .least = -110,
                            .most = 110,
                            .unit = "%",
                            .rate = carrier_hz,
                            .depth = depth_pct},
  };
  return type;
}

}  // namespace drevan
