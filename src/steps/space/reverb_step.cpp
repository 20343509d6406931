// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/diffuser.h"
#include "dsp/fractional_delay.h"
#include "dsp/late_field.h"
#include "dsp/smoothed.h"
#include "dsp/stereo_width.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  size_pct,
  decay_low_s,
  decay_s,
  decay_high_s,
  damping_hz,
  pre_delay_ms,
  early_db,
  late_db,
  diffusion_pct,
  width_pct,
  mix_pct,
  out
};

constexpr double most_pre_delay_ms = 250, low_hz = 200;
constexpr int reflections = 12;

LateFieldShape shape_of(const Settings& s) {
  return {.low_s = s[decay_low_s],
          .middle_s = s[decay_s],
          .high_s = s[decay_high_s],
          .low_hz = low_hz,
          .high_hz = s[damping_hz],
          .size = s[size_pct] / 100};
}

// A wall's answer: seconds after the direct sound at size 1, and its share. Different for each
// channel; the same each time.
struct Reflection {
  double s, gain;
};
Reflection reflection(int k, int channel) {
  const auto chance = [&](int salt) {
    return 0.5 + 0.5 * lfo_value(LfoShape::drift, 97.0 * channel + 13.0 * k + 7.0 * salt + 3);
  };
  const double s = 0.005 * std::pow(12.0, (k + 0.8 * chance(1)) / reflections);
  return {s, (chance(2) < 0.5 ? -1 : 1) * std::pow(0.005 / s, 0.6)};
}

class Reverb final : public Processor {
 public:
  Reverb(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        late_(rate_, channels_in_, channels_out_, shape_of(s)) {
    constexpr std::array<double, 4> lengths_s{0.0137, 0.0089, 0.0053, 0.0031};
    for (int c = 0; c < channels_in_; ++c) {
      lines_.emplace_back((most_pre_delay_ms / 1000 + 0.07 * LateField::most_size) * rate_ + 8);
      for (const double length : lengths_s)
        diffusers_.emplace_back(static_cast<int>(length * rate_ * (1 + 0.037 * c)) + 1);
    }
    for (int c = 0; c < channels_out_; ++c) {
      auto& gains = gains_[static_cast<size_t>(c)];
      double power = 0;
      for (int k = 0; k < reflections; ++k) power += std::pow(reflection(k, c).gain, 2);
      for (int k = 0; k < reflections; ++k)
        gains[static_cast<size_t>(k)] =
            static_cast<float>(reflection(k, c).gain / std::sqrt(power));
    }
    const auto prepare = [&](Smoothed& value, double start) { value.prepare(rate_, 20, start); };
    prepare(early_, part_gain(s[early_db]));
    prepare(loud_, part_gain(s[late_db]));
    prepare(diffusion_, 0.72 * s[diffusion_pct] / 100);
    prepare(width_, s[width_pct] / 100);
    prepare(mix_, s[mix_pct] / 100);
    aim();
    find_tail();
    reset();
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      int n = std::min(LateField::chunk - at_, block.frames() - done);
      // Up to where it may be silent.
      if (!empty_ && quiet_ < tail_) n = static_cast<int>(std::min(Samples{n}, tail_ - quiet_));
      run(block.part(done, n));
      done += n;
    }
  }
  Samples tail() const noexcept override { return tail_; }
  void reset() noexcept override {
    for (Smoothed* s : {&early_, &loud_, &diffusion_, &width_, &mix_}) s->jump(s->goal());
    from_ = to_ = wanted_;
    fade_ = 1;
    clear();
    at_ = 0;
    quiet_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == early_db) early_.set(part_gain(value));
    if (parameter == late_db) loud_.set(part_gain(value));
    if (parameter == diffusion_pct) diffusion_.set(0.72 * value / 100);
    if (parameter == width_pct) width_.set(value / 100);
    if (parameter == mix_pct) mix_.set(value / 100);
    find_tail();
    if (parameter <= damping_hz) late_.set(shape_of(settings_));
    if (parameter == size_pct || parameter == pre_delay_ms) aim();
  }

 private:
  // Where reflections and the late sound are taken from the lines, in frames.
  struct Places {
    std::array<std::array<int, reflections>, max_channels> early{};
    int late = 0;
    friend bool operator==(const Places&, const Places&) = default;
  };

  // Until it has fallen by 90 dB, and the longest line.
  void find_tail() noexcept {
    const double most =
        std::max({settings_[decay_low_s], settings_[decay_s], settings_[decay_high_s]});
    tail_ = static_cast<Samples>(
        (most * 1.6 + settings_[pre_delay_ms] / 1000 + 0.1 + 0.085 * settings_[size_pct] / 100) *
        rate_);
  }
  void clear() noexcept {
    empty_ = true;
    for (auto& l : lines_) l.reset();
    for (auto& d : diffusers_) d.reset();
    late_.reset();
    entered_ = {};
    left_ = {};
  }
  void aim() noexcept {
    const double begin = settings_[pre_delay_ms] / 1000, size = settings_[size_pct] / 100;
    wanted_.late = static_cast<int>(begin * rate_);
    for (int c = 0; c < channels_out_; ++c)
      for (int k = 0; k < reflections; ++k)
        wanted_.early[static_cast<size_t>(c)][static_cast<size_t>(k)] =
            static_cast<int>((begin + size * reflection(k, c).s) * rate_);
  }
  using Frames = std::array<float, LateField::chunk>;

  void begin() noexcept {
    late_.begin(left_);
    if (fade_ >= 1 && !(wanted_ == to_)) {
      from_ = to_;
      to_ = wanted_;
      fade_ = 0;
    }
    fading_ = fade_ < 1;
  }
  // Within a chunk of the late field.
  void run(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    if (at_ == 0) begin();
    listen(block);
    std::array<Frames, max_channels> wet;  // NOLINT: filled as far as it is read
    const bool fading = fading_;
    Frames share{};  // of the new places
    for (size_t i = 0; fading && i < n; ++i) {
      share[i] = static_cast<float>(fade_ * fade_ * (3 - 2 * fade_));
      fade_ = std::min(1.0, fade_ + 1 / (0.04 * rate_));
    }
    Frames g{}, soft{}, loud{};
    for (auto [from, to] : {std::pair{&diffusion_, &g}, {&early_, &soft}, {&loud_, &loud}})
      from->next(std::span(*to).first(n));
    for (size_t c = 0; c < static_cast<size_t>(channels_in_); ++c)
      enter(c, block.channel(static_cast<int>(c)), g, share, fading);
    for (size_t c = 0; c < static_cast<size_t>(channels_out_); ++c) {
      for (size_t i = 0; i < n; ++i) wet[c][i] = loud[i] * left_[c][static_cast<size_t>(at_) + i];
      if (soft[0] > 0 || soft[n - 1] > 0)
        add_early(c, soft, share, fading, std::span(wet[c]).first(n));
    }
    leave(block, wet);
    at_ += static_cast<int>(n);
    if (at_ == LateField::chunk) {
      late_.end(entered_);
      at_ = 0;
    }
    if (quiet_ >= tail_ && !empty_) clear();
  }
  // Counts the silence that entered.
  void listen(const AudioBlock& block) noexcept {
    const int n = block.frames();
    int silent = n;  // frames at the end
    for (int c = 0; c < channels_in_; ++c) {
      const auto x = block.channel(c);
      int own = 0;
      while (own < silent && x[static_cast<size_t>(n - 1 - own)] == 0) ++own;
      silent = own;
    }
    quiet_ = silent == n ? quiet_ + n : silent;
    if (silent < n) empty_ = false;
  }
  // What the line held `to` frames ago, or while it goes over there, `from` frames ago as well.
  static void add_late(const FractionalDelay& line, int to, int from, float gain,
                       const Frames& share, bool fading, std::span<float> out) noexcept {
    const auto late = line.read_whole(to, out.size());
    if (!fading) {
      for (size_t i = 0; i < out.size(); ++i) out[i] += gain * late[i];
      return;
    }
    const auto before = line.read_whole(from, out.size());
    for (size_t i = 0; i < out.size(); ++i)
      out[i] += gain * (before[i] + share[i] * (late[i] - before[i]));
  }
  void enter(size_t channel, std::span<const float> x, const Frames& g, const Frames& share,
             bool fading) noexcept {
    lines_[channel].write(x);
    const auto into = std::span(entered_[channel]).subspan(static_cast<size_t>(at_), x.size());
    std::ranges::fill(into, 0.0F);
    add_late(lines_[channel], to_.late, from_.late, 1, share, fading, into);
    for (size_t d = 4 * channel; d < 4 * channel + 4; ++d) diffusers_[d].process(into, g);
  }
  void add_early(size_t channel, const Frames& soft, const Frames& share, bool fading,
                 std::span<float> out) noexcept {
    const auto& line = lines_[std::min(channel, lines_.size() - 1)];
    Frames sum{};
    for (size_t k = 0; k < reflections; ++k)
      add_late(line, to_.early[channel][k], from_.early[channel][k], gains_[channel][k], share,
               fading, std::span(sum).first(out.size()));
    for (size_t i = 0; i < out.size(); ++i) out[i] += soft[i] * sum[i];
  }

  void leave(const AudioBlock& block, std::array<Frames, max_channels>& wet) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Frames mix{}, width{};
    mix_.next(std::span(mix).first(n));
    width_.next(std::span(width).first(n));
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    if (channels_out_ == 2) set_width(wet[0].data(), wet[1].data(), width.data(), n);
    for (int c = 0; c < channels_out_; ++c) {
      const auto x = block.channel(c);
      const Frames& late = wet[static_cast<size_t>(c)];
      for (size_t i = 0; i < n; ++i) x[i] += mix[i] * (late[i] - x[i]);
    }
  }

  Settings settings_;
  double rate_;
  int channels_in_, channels_out_;
  LateField late_;
  std::vector<FractionalDelay> lines_;
  std::vector<Diffuser> diffusers_;
  std::array<std::array<float, reflections>, max_channels> gains_{};
  LateField::Channels entered_{}, left_{};
  Places wanted_, to_, from_;
  double fade_ = 1;
  bool fading_ = false;  // in this chunk
  int at_ = 0;
  Samples tail_ = 0;
  Samples quiet_ = 0;  // frames of silence that entered
  bool empty_ = true;
  Smoothed early_, loud_, diffusion_, width_, mix_;
};

double late_begins(const Settings& s) { return s[pre_delay_ms] / 1000 + 0.019 * s[size_pct] / 100; }
double early_begins(const Settings& s) {
  return s[pre_delay_ms] / 1000 + 0.005 * s[size_pct] / 100;
}
double at_db(const Settings& s, int band, double seconds) {
  const double since = seconds - late_begins(s);
  if (since < 0 || s[late_db] <= part_off_db) return -200;
  return s[late_db] - 60 * since / s[static_cast<size_t>(decay_low_s + band)];
}

Parameter decay(std::string_view id, std::string_view label, double standard,
                std::string_view help) {
  return {.id = id,
          .label = label,
          .unit = "s",
          .least = 0.1,
          .most = 12,
          .standard = standard,
          .scale = Scale::logarithmic,
          .help = help};
}
std::vector<Parameter> parameters() {
  return {
      {.id = "size_pct",
       .label = "Size",
       .unit = "%",
       .least = 100 * LateField::least_size,
       .most = 100 * LateField::most_size,
       .standard = 100,
       .scale = Scale::logarithmic,
       .help = "How far the walls are: 100 % is a middling room."},
      decay("decay_low_s", "Decay, low", 1.4, "Seconds until what is low has fallen by 60 dB."),
      decay("decay_s", "Decay", 1.2, "Seconds until the sound has fallen by 60 dB."),
      decay("decay_high_s", "Decay, high", 0.7, "Seconds until what is high has fallen by 60 dB."),
      {.id = "damping_hz",
       .label = "Damp from",
       .unit = "Hz",
       .least = 1000,
       .most = 16000,
       .standard = 5000,
       .scale = Scale::logarithmic,
       .help = "What is higher decays as set for high."},
      {.id = "pre_delay_ms",
       .label = "Pre-delay",
       .unit = "ms",
       .least = 0,
       .most = most_pre_delay_ms,
       .standard = 12,
       .help = "How late the room answers, in ms."},
      part_parameter("early_db", "Early", -6, "How loud the first reflections are."),
      part_parameter("late_db", "Late", 0,
                     "How loud the room's long sound is; at 0 dB as loud as what enters."),
      {.id = "diffusion_pct",
       .label = "Diffusion",
       .unit = "%",
       .least = 0,
       .most = 100,
       .standard = 85,
       .help = "How soon single echoes become one sound."},
      {.id = "width_pct",
       .label = "Width",
       .unit = "%",
       .least = 0,
       .most = 150,
       .standard = 100,
       .help = "How wide the room stands between left and right; heard in stereo."},
      mix_parameter(25),
      out_parameter()};
}

}  // namespace

const StepType& reverb_step() {
  static const StepType type{
      .id = "reverb",
      .label = "Reverb",
      .summary = "a space that answers and dies away",
      .family = Family::space,
      .parameters = parameters(),
      .starting_points = {{"Room",
                           "a furnished room behind a voice",
                           {{"size_pct", 60},
                            {"decay_low_s", 0.5},
                            {"decay_s", 0.45},
                            {"decay_high_s", 0.3},
                            {"pre_delay_ms", 4},
                            {"early_db", 0},
                            {"late_db", -3},
                            {"mix_pct", 22}}},
                          {"Hall",
                           "a large space, words still clear",
                           {{"size_pct", 160},
                            {"decay_low_s", 2.4},
                            {"decay_s", 2},
                            {"decay_high_s", 1.1},
                            {"pre_delay_ms", 35},
                            {"mix_pct", 28},
                            {"out", 1}}},
                          {"Cathedral",
                           "stone, far away",
                           {{"size_pct", 250},
                            {"decay_low_s", 6},
                            {"decay_s", 5},
                            {"decay_high_s", 2},
                            {"pre_delay_ms", 60},
                            {"early_db", -12},
                            {"mix_pct", 45},
                            {"out", 1}}},
                          {"Dream",
                           "a cloud around the voice",
                           {{"size_pct", 200},
                            {"decay_low_s", 2},
                            {"decay_s", 4.5},
                            {"decay_high_s", 4},
                            {"damping_hz", 9000},
                            {"pre_delay_ms", 90},
                            {"early_db", -60},
                            {"diffusion_pct", 100},
                            {"mix_pct", 55},
                            {"out", 1}}}},
      .make = make_work<Reverb>,
      .channels_out = channels_by_out<out>,
      .traits = {.spreads_in_time = true},
      .brief = [](const Settings& s) { return fmt::format("{:.1f} s", s[decay_s]); },
      .picture = DecaySpec{.at_db = at_db,
                           .decays = {decay_low_s, decay_s, decay_high_s},
                           .begins = pre_delay_ms,
                           .early = early_db,
                           .late = late_db,
                           .early_s = early_begins,
                           .late_s = late_begins},
      .revision = 2,
      .run_in_s = 4,
  };
  return type;
}

}  // namespace drevan
