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

enum : int { rate_hz, low_hz, high_hz, resonance, shape, phase_deg, moved_by, mix_pct, out, level };

double centre_hz(double low, double high, double value) {
  return low * std::pow(high / low, (value + 1) / 2);
}

class Wah final : public Processor {
 public:
  Wah(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        filters_(static_cast<size_t>(channels_out_)) {
    modulator_.prepare(format.rate, s[rate_hz], static_cast<int>(s[shape]),
                       static_cast<int>(s[moved_by]), s[phase_deg]);
    low_.prepare(format.rate, 20, std::log(s[low_hz]));
    high_.prepare(format.rate, 20, std::log(s[high_hz]));
    q_.prepare(format.rate, 20, s[resonance]);
    mix_.prepare(format.rate, 20, s[mix_pct] / 100);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto value = modulator_.next(frame_power(block, i));
      const double low = low_.next(), high = high_.next(), q = q_.next(), mix = mix_.next();
      std::array<double, 2> g{};
      for (size_t side = 0; side < (channels_out_ > 1 ? 2U : 1U); ++side) {
        if (corners_[side].wants())
          corners_[side].aim(warped(std::exp(low + (high - low) * (value[side] + 1) / 2)));
        g[side] = corners_[side].next();
      }
      for (int c = 0; c < channels_out_; ++c) {
        float& x = block.channel(c)[i];
        const double band = filters_[static_cast<size_t>(c)]
                                .process(static_cast<double>(x), g[c == 1 ? 1 : 0], q)
                                .band;
        x = static_cast<float>((1 - mix) * static_cast<double>(x) + mix * band);
      }
    }
  }
  Samples tail() const noexcept override { return static_cast<Samples>(0.4 * rate_); }
  void reset() noexcept override {
    modulator_.reset();
    for (auto& c : corners_) c.place(0);
    for (auto& f : filters_) f.reset();
    for (Smoothed* s : {&low_, &high_, &q_, &mix_}) s->jump(s->goal());
  }
  void place(Samples frame) noexcept override {
    modulator_.place(frame);
    for (auto& c : corners_) c.place(frame);
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == rate_hz) modulator_.set_rate(value);
    if (parameter == low_hz) low_.set(std::log(value));
    if (parameter == high_hz) high_.set(std::log(value));
    if (parameter == resonance) q_.set(value);
    if (parameter == shape) modulator_.set_shape(static_cast<int>(value));
    if (parameter == phase_deg) modulator_.set_phase(value);
    if (parameter == moved_by) modulator_.set_moved_by(static_cast<int>(value));
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  double warped(double hz) const { return Svf::warped(std::min(hz, 0.45 * rate_), rate_); }

  double rate_;
  int channels_in_, channels_out_;
  std::vector<MorphFilter> filters_;
  Modulator modulator_;
  std::array<OnGrid, 2> corners_;  // warped
  Smoothed low_, high_, q_, mix_;
};

double picture_at(const Settings& s, double cycles, int) {
  return centre_hz(s[low_hz], s[high_hz],
                   lfo_value(static_cast<LfoShape>(static_cast<int>(s[shape])), cycles));
}

}  // namespace

const StepType& wah_step() {
  static const StepType type{
      .id = "wah",
      .label = "Wah",
      .summary = "a resonance that opens and closes like a mouth",
      .family = Family::motion,
      .parameters = {rate_parameter(0.05, 12, 1.5),
                     corner_parameter("low_hz", "From", 80, 350,
                                      "Where the resonance stands when it is closed."),
                     corner_parameter("high_hz", "To", 80, 2200,
                                      "Where it stands when it is open."),
                     {.id = "resonance_q",
                      .label = "Resonance",
                      .least = 0.7,
                      .most = 12,
                      .standard = 3,
                      .scale = Scale::logarithmic,
                      .help = "How narrow the resonance is."},
                     shape_parameter(),
                     phase_parameter(),
                     moved_by_parameter(),
                     mix_parameter(80),
                     out_parameter(),
                     level_parameter()},
      .starting_points = {{"With every word",
                           "opens as the sound gets loud",
                           {{"moved_by", 1}, {"resonance_q", 3}}},
                          {"Slow sweep",
                           "wind to whoosh",
                           {{"rate_hz", 0.25}, {"high_hz", 4000}, {"resonance_q", 2}}},
                          {"Chattering",
                           "a small machine",
                           {{"rate_hz", 8}, {"resonance_q", 6}, {"shape", 2}}}},
      .make = make_work<Wah>,
      .channels_out = channels_by_out<out>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief =
          [](const Settings& s) {
            return s[moved_by] == moved_by_voice ? std::string("by its loudness")
                                                 : fmt::format("{:.1f} Hz", s[rate_hz]);
          },
      .picture = MotionSpec{.at = picture_at,
                            .least = 80,
                            .most = 8000,
                            .unit = "Hz",
                            .logarithmic = true,
                            .rate = rate_hz,
                            .bottom = low_hz,
                            .top = high_hz,
                            .phase = phase_deg,
                            .moved_by = moved_by,
                            .shape = shape},
  };
  return type;
}

}  // namespace drevan
