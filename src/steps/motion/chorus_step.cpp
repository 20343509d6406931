// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>

#include "dsp/fractional_delay.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { voices, rate_hz, depth_ms, delay_ms, spread_pct, mix_pct, out, level };

constexpr int most_voices = 8;
constexpr double most_delay_ms = 40, most_depth_ms = 12;

// Delay of a voice, in ms: each goes at its own phase, and a little faster or slower than the
// others, so that they never meet again.
double voice_delay_ms(double delay, double depth, double cycles, int voice, int count) {
  const double own = 1 + 0.07 * (voice - (count - 1) / 2.0);
  const double at = cycles * own + static_cast<double>(voice) / count;
  return delay + depth * (1 + lfo_value(LfoShape::sine, at)) / 2;
}

// Copies whose delays wander (J. Dattorro, "Effect Design, Part 2", JAES 45(10), 1997).
class Chorus final : public Processor {
 public:
  Chorus(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        count_(static_cast<int>(s[voices])) {
    const double most = (most_delay_ms + most_depth_ms) / 1000 * format.rate;
    for (int c = 0; c < channels_in_; ++c) lines_.emplace_back(most + FractionalDelay::least);
    lfo_.prepare(format.rate, s[rate_hz], motion_grid);
    for (auto [value, start] : {std::pair{&depth_, s[depth_ms]},
                                {&delay_, s[delay_ms]},
                                {&spread_, s[spread_pct] / 100},
                                {&mix_, s[mix_pct] / 100}})
      value->prepare(format.rate, 30, start);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(delays_[0].left(), block.frames() - done);
      run(block.part(done, n));
      done += n;
    }
  }
  Samples tail() const noexcept override {
    return static_cast<Samples>((most_delay_ms + most_depth_ms) / 1000 * rate_) + 32;
  }
  void reset() noexcept override {
    for (auto& l : lines_) l.reset();
    place(0);
    for (Smoothed* s : {&depth_, &delay_, &spread_, &mix_}) s->jump(s->goal());
  }
  void place(Samples frame) noexcept override {
    lfo_.place(frame);
    for (auto& d : delays_) d.place(frame);
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == rate_hz) lfo_.set(value);
    if (parameter == depth_ms) depth_.set(value);
    if (parameter == delay_ms) delay_.set(value);
    if (parameter == spread_pct) spread_.set(value / 100);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  using Frames = std::array<float, motion_grid>;

  void aim(double delay, double depth) noexcept {
    lfo_.next();
    for (int v = 0; v < count_; ++v)
      delays_[static_cast<size_t>(v)].aim(
          std::max(FractionalDelay::least,
                   voice_delay_ms(delay, depth, lfo_.cycles(), v, count_) / 1000 * rate_));
  }
  // Up to the next point of the grid.
  void run(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    if (delays_[0].wants()) aim(delay_.value(), depth_.value());
    std::array<double, motion_grid> moved{}, spread{}, mix{};
    for (Smoothed* s : {&depth_, &delay_}) s->next(std::span(moved).first(n));
    spread_.next(std::span(spread).first(n));
    mix_.next(std::span(mix).first(n));
    for (int c = 0; c < channels_in_; ++c) lines_[static_cast<size_t>(c)].write(block.channel(c));
    if (channels_in_ < channels_out_) std::ranges::copy(block.channel(0), block.channel(1).begin());
    std::array<Frames, max_channels> wet{};
    for (int v = 0; v < count_; ++v) add_voice(v, n, spread, wet);
    const double share = 1 / std::sqrt(static_cast<double>(count_));
    for (int c = 0; c < channels_out_; ++c) {
      const auto x = block.channel(c);
      const Frames& late = wet[static_cast<size_t>(c)];
      for (size_t i = 0; i < n; ++i)
        x[i] = static_cast<float>((1 - mix[i] / 2) * static_cast<double>(x[i]) +
                                  mix[i] * share * static_cast<double>(late[i]));
    }
  }
  void add_voice(int voice, size_t n, const std::array<double, motion_grid>& spread,
                 std::array<Frames, max_channels>& wet) noexcept {
    std::array<double, motion_grid> frames;  // NOLINT
    delays_[static_cast<size_t>(voice)].next(std::span(frames).first(n));
    // Voices stand side by side from left to right.
    const double place = count_ > 1 ? 2.0 * voice / (count_ - 1) - 1 : 0;
    Frames late{};
    for (int c = 0; c < channels_out_; ++c) {
      if (c < channels_in_) lines_[static_cast<size_t>(c)].read(std::span(frames).first(n), late);
      Frames& to = wet[static_cast<size_t>(c)];
      const bool sided = channels_out_ > 1 && c < 2;
      for (size_t i = 0; i < n; ++i)
        to[i] += sided ? static_cast<float>(side_gain(c, spread[i] * place)) * late[i] : late[i];
    }
  }

  double rate_;
  int channels_in_, channels_out_, count_;
  std::vector<FractionalDelay> lines_;
  Lfo lfo_;
  std::array<OnGrid, most_voices> delays_;  // of the voices, in frames
  Smoothed depth_, delay_, spread_, mix_;
};

double picture_at(const Settings& s, double cycles, int line) {
  return voice_delay_ms(s[delay_ms], s[depth_ms], cycles, line, static_cast<int>(s[voices]));
}

}  // namespace

const StepType& chorus_step() {
  static const StepType type{
      .id = "chorus",
      .label = "Chorus",
      .summary = "many where there was one: copies whose delays wander",
      .family = Family::motion,
      .parameters =
          {{.id = "voices",
            .label = "Voices",
            .least = 1,
            .most = most_voices,
            .standard = 3,
            .help = "How many copies.",
            .fixed = true,
            .whole = true},
           rate_parameter(0.05, 8, 0.7),
           {.id = "depth_ms",
            .label = "Depth",
            .unit = "ms",
            .least = 0,
            .most = most_depth_ms,
            .standard = 4,
            .help = "How far the delays wander, in ms."},
           {.id = "delay_ms",
            .label = "Delay",
            .unit = "ms",
            .least = 2,
            .most = most_delay_ms,
            .standard = 14,
            .help = "The shortest delay of the copies, in ms."},
           {.id = "spread_pct",
            .label = "Spread",
            .unit = "%",
            .least = 0,
            .most = 100,
            .standard = 80,
            .help = "How wide the copies stand between left and right, where there are two sides."},
           mix_parameter(60),
           out_parameter(),
           level_parameter()},
      .starting_points = {{"Many as one",
                           "a crowd out of one voice",
                           {{"voices", 7}, {"depth_ms", 9}, {"delay_ms", 22}, {"mix_pct", 90}}},
                          {"Wider",
                           "a pad or wind gets breadth",
                           {{"voices", 4}, {"rate_hz", 0.3}, {"mix_pct", 50}}},
                          {"Under water",
                           "wavering",
                           {{"voices", 2}, {"rate_hz", 2.2}, {"depth_ms", 8}, {"mix_pct", 100}}}},
      .make = make_work<Chorus>,
      .channels_out = channels_by_out<out>,
      .traits = {.bends_tone = true, .spreads_in_time = true, .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return fmt::format("{:.0f} voices", s[voices]); },
      .picture = MotionSpec{.at = picture_at,
                            .least = 0,
                            .most = most_delay_ms + most_depth_ms,
                            .unit = "ms",
                            .rate = rate_hz,
                            .depth = depth_ms,
                            .bottom = delay_ms,
                            .lines = [](const Settings& s) { return static_cast<int>(s[voices]); }},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
