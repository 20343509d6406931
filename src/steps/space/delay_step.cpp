// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/envelope.h"
#include "dsp/fractional_delay.h"
#include "dsp/smoothed.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

constexpr int tap_count = 4;
constexpr double most_ms = 2000;
// Four settings a tap, then those of all.
enum : int { time_ms, level_db, pan_pct, feedback_pct, each };
enum : int { low_hz = tap_count * each, high_hz, way, duck_db, mix_pct, out };
constexpr int straight = 0, ping_pong = 1;

int of_tap(int tap, int setting) { return tap * each + setting; }

// A place in a delay line that is read; another time is faded to, so that nothing is bent.
class ReadHead {
 public:
  void prepare(double rate, int frames) {
    step_ = 1 / (0.03 * rate);
    now_ = next_ = wanted_ = frames;
  }
  void set(int frames) noexcept { wanted_ = frames; }
  void jump() noexcept { jump_to(wanted_); }
  /// How many frames can be read before more are written.
  size_t ahead() const noexcept {
    return static_cast<size_t>(std::min({now_, next_, wanted_})) + 1;
  }
  /// The next frames, before they are written; at most ahead().
  void read(const FractionalDelay& line, std::span<float> out) noexcept {
    const auto at = [&](int frames) {
      return line.read_whole(frames + 1 - static_cast<int>(out.size()), out.size());
    };
    for (size_t i = 0; i < out.size();) {
      if (now_ == next_ && wanted_ != next_) next_ = wanted_;
      const auto a = at(now_), b = at(next_);
      if (now_ == next_) {
        std::copy(a.begin() + static_cast<std::ptrdiff_t>(i), a.end(),
                  out.begin() + static_cast<std::ptrdiff_t>(i));
        return;
      }
      for (; i < out.size() && share_ < 1; ++i) {
        share_ += step_;
        const auto s = static_cast<float>(share_ * share_ * (3 - 2 * share_));
        out[i] = share_ >= 1 ? b[i] : a[i] + s * (b[i] - a[i]);
      }
      if (share_ >= 1) jump_to(next_);
    }
  }

 private:
  void jump_to(int frames) noexcept {
    now_ = next_ = frames;
    share_ = 0;
  }
  int now_ = 0, next_ = 0, wanted_ = 0;
  double share_ = 0, step_ = 1;
};

// One low and one high cut of the first order, in the loop.
struct LoopFilter {
  double low = 0, high = 0;
  void process(std::span<float> x, std::span<const float> low_k,
               std::span<const float> high_k) noexcept {
    for (size_t i = 0; i < x.size(); ++i) {
      const auto in = static_cast<double>(x[i]), k = static_cast<double>(high_k[i]);
      low += static_cast<double>(low_k[i]) * (in - low);
      const double y = in - low;
      high += k * (y - high);
      x[i] = static_cast<float>(k >= 1 ? y : high);
    }
  }
};

class Echo final : public Processor {
 public:
  Echo(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)) {
    for (int t = 0; t < tap_count; ++t) {
      Tap& tap = taps_[static_cast<size_t>(t)];
      for (int c = 0; c < channels_out_; ++c) {
        tap.lines.emplace_back(most_ms / 1000 * rate_ + 2);
        tap.heads.emplace_back().prepare(rate_,
                                         frames_of(s[static_cast<size_t>(of_tap(t, time_ms))]));
        tap.filters.emplace_back();
      }
      tap.time_ms = s[static_cast<size_t>(of_tap(t, time_ms))];
      tap.level.prepare(rate_, 20, part_gain(s[static_cast<size_t>(of_tap(t, level_db))]));
      tap.pan.prepare(rate_, 20, s[static_cast<size_t>(of_tap(t, pan_pct))] / 100);
      tap.feedback.prepare(rate_, 20, s[static_cast<size_t>(of_tap(t, feedback_pct))] / 100);
    }
    low_.prepare(rate_, 20, low_k(s[low_hz]));
    high_.prepare(rate_, 20, high_k(s[high_hz]));
    cross_.prepare(rate_, 20, s[way] == ping_pong ? 1 : 0);
    duck_.prepare(rate_, 20, s[duck_db]);
    mix_.prepare(rate_, 20, s[mix_pct] / 100);
    loudness_.set(10, 150, rate_);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (int done = 0; done < block.frames();) {
      // No farther than the nearest echo, which may go round again.
      size_t n = std::min(FractionalDelay::most_run, static_cast<size_t>(block.frames() - done));
      for (const auto& tap : taps_)
        for (const auto& head : tap.heads) n = std::min(n, head.ahead());
      run(block.part(done, static_cast<int>(n)));
      done += static_cast<int>(n);
    }
  }
  Samples tail() const noexcept override {
    double most = 0.1;
    for (const auto& tap : taps_) {
      if (tap.level.goal() == 0) continue;
      const double loop = tap.feedback.goal();
      const double rounds = loop < 0.001 ? 1 : 1 + std::ceil(std::log(1e-4) / std::log(loop));
      most = std::max(most, tap.time_ms / 1000 * rounds);
    }
    return static_cast<Samples>((most + 0.1) * rate_);
  }
  void reset() noexcept override {
    for (auto& tap : taps_) {
      for (auto& l : tap.lines) l.reset();
      for (auto& h : tap.heads) h.jump();
      for (auto& f : tap.filters) f = {};
      for (Smoothed* s : {&tap.level, &tap.pan, &tap.feedback}) s->jump(s->goal());
    }
    for (Smoothed* s : {&low_, &high_, &cross_, &duck_, &mix_}) s->jump(s->goal());
    loudness_.reset();
  }
  void set(int parameter, double value) noexcept override {
    if (parameter < low_hz) {
      Tap& tap = taps_[static_cast<size_t>(parameter / each)];
      if (silent(tap)) wake(tap);
      if (parameter % each == time_ms) {
        tap.time_ms = value;
        for (auto& h : tap.heads) h.set(frames_of(value));
      }
      if (parameter % each == level_db) tap.level.set(part_gain(value));
      if (parameter % each == pan_pct) tap.pan.set(value / 100);
      if (parameter % each == feedback_pct) tap.feedback.set(value / 100);
    }
    if (parameter == low_hz) low_.set(low_k(value));
    if (parameter == high_hz) high_.set(high_k(value));
    if (parameter == way) cross_.set(value == ping_pong ? 1 : 0);
    if (parameter == duck_db) duck_.set(value);
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  struct Tap {
    std::vector<FractionalDelay> lines;
    std::vector<ReadHead> heads;
    std::vector<LoopFilter> filters;
    double time_ms = 0;
    Smoothed level, pan, feedback;
  };

  // Read before this frame is written: one frame nearer.
  int frames_of(double ms) const { return static_cast<int>(std::lround(ms / 1000 * rate_)) - 1; }
  double low_k(double hz) const {
    return hz <= 20 ? 0 : 1 - std::exp(-2 * std::numbers::pi * hz / rate_);
  }
  double high_k(double hz) const {
    return hz >= 20000 ? 1 : 1 - std::exp(-2 * std::numbers::pi * hz / rate_);
  }

  using Frames = std::array<float, FractionalDelay::most_run>;
  struct Part {
    size_t n;
    Frames low, high, cross, mix;
    std::array<Frames, max_channels> dry, wet;
  };

  void run(const AudioBlock& block) noexcept {
    Part part;  // NOLINT: filled as far as it is read
    part.n = static_cast<size_t>(block.frames());
    for (auto [from, to] : {std::pair{&low_, &part.low},
                            {&high_, &part.high},
                            {&cross_, &part.cross},
                            {&mix_, &part.mix}})
      from->next(std::span(*to).first(part.n));
    for (int c = 0; c < channels_out_; ++c) {
      std::ranges::copy(block.channel(c), part.dry[static_cast<size_t>(c)].begin());
      std::fill_n(part.wet[static_cast<size_t>(c)].begin(), part.n, 0.0F);
    }
    for (auto& tap : taps_) add(tap, part);
    give_way(part);
    for (int c = 0; c < channels_out_; ++c) {
      const auto x = block.channel(c);
      const Frames& wet = part.wet[static_cast<size_t>(c)];
      for (size_t i = 0; i < part.n; ++i)
        x[i] = (1 - std::max(0.0F, 2 * part.mix[i] - 1)) * x[i] +
               std::min(1.0F, 2 * part.mix[i]) * wet[i];
    }
  }
  // Echoes give way while the voice speaks: from -50 dBFS, wholly from -30 on.
  void give_way(Part& part) noexcept {
    for (size_t i = 0; i < part.n; ++i) {
      double peak = 0;
      for (int c = 0; c < channels_out_; ++c)
        peak = std::max(peak, std::abs(static_cast<double>(part.dry[static_cast<size_t>(c)][i])));
      const double loud = loudness_.process(peak), duck = duck_.next();
      if (duck == 0) continue;
      const double gives = from_db(-duck * std::clamp((to_db(loud) + 50) / 20, 0.0, 1.0));
      for (int c = 0; c < channels_out_; ++c)
        part.wet[static_cast<size_t>(c)][i] *= static_cast<float>(gives);
    }
  }
  // What goes into a line: to and fro between the sides it begins on the left, with what both hold.
  void into(const Part& part, size_t c, Frames& out) const noexcept {
    const Frames& dry = part.dry[c];
    if (channels_out_ != 2) {
      std::copy_n(dry.begin(), part.n, out.begin());
      return;
    }
    for (size_t i = 0; i < part.n; ++i) {
      const float begins = c == 0 ? (part.dry[0][i] + part.dry[1][i]) / 2 : 0.0F;
      out[i] = dry[i] + part.cross[i] * (begins - dry[i]);
    }
  }

  static bool silent(const Tap& tap) noexcept {
    return tap.level.value() == 0 && tap.level.goal() == 0 && tap.feedback.value() == 0 &&
           tap.feedback.goal() == 0;
  }
  // A silent one begins anew when something of it is set.
  static void wake(Tap& tap) noexcept {
    tap.pan.jump(tap.pan.goal());
    for (auto& head : tap.heads) head.jump();
    for (auto& f : tap.filters) f = {};
  }
  void add(Tap& tap, Part& part) noexcept {
    const auto n = static_cast<size_t>(channels_out_);
    Frames in;  // NOLINT
    const std::span<const float> heard = std::span(in).first(part.n);
    // One that is off only remembers, for when it is turned up.
    if (silent(tap)) {
      for (size_t c = 0; c < n; ++c) {
        into(part, c, in);
        tap.lines[c].write(heard);
      }
      return;
    }
    Frames level, pan, feedback;  // NOLINT
    for (auto [from, to] :
         {std::pair{&tap.level, &level}, {&tap.pan, &pan}, {&tap.feedback, &feedback}})
      from->next(std::span(*to).first(part.n));
    std::array<Frames, max_channels> late;  // NOLINT
    for (size_t c = 0; c < n; ++c) {
      tap.heads[c].read(tap.lines[c], std::span(late[c]).first(part.n));
      tap.filters[c].process(std::span(late[c]).first(part.n), part.low, part.high);
    }
    const bool sides = n == 2;
    for (size_t c = 0; c < n; ++c) {
      const Frames& other = late[sides ? 1 - c : c];
      into(part, c, in);
      for (size_t i = 0; i < part.n; ++i) {
        in[i] += feedback[i] * (late[c][i] + part.cross[i] * (other[i] - late[c][i]));
        const double side = sides ? side_gain(static_cast<int>(c), static_cast<double>(pan[i])) : 1;
        part.wet[c][i] += level[i] * static_cast<float>(side) * late[c][i];
      }
      tap.lines[c].write(heard);
    }
  }

  double rate_;
  int channels_in_, channels_out_;
  std::array<Tap, tap_count> taps_;
  Smoothed low_, high_, cross_, duck_, mix_;
  BranchingDetector loudness_;
};

std::vector<Parameter> parameters() {
  static constexpr std::string_view ids[tap_count][each] = {
      {"time_1_ms", "level_1_db", "pan_1_pct", "feedback_1_pct"},
      {"time_2_ms", "level_2_db", "pan_2_pct", "feedback_2_pct"},
      {"time_3_ms", "level_3_db", "pan_3_pct", "feedback_3_pct"},
      {"time_4_ms", "level_4_db", "pan_4_pct", "feedback_4_pct"}};
  static constexpr double times[] = {350, 500, 750, 1000};
  std::vector<Parameter> all;
  for (int t = 0; t < tap_count; ++t) {
    const auto& id = ids[t];
    all.push_back({.id = id[time_ms],
                   .label = "Time",
                   .unit = "ms",
                   .least = 2,
                   .most = most_ms,
                   .standard = times[t],
                   .scale = Scale::logarithmic,
                   .help = "How late the echo comes.",
                   .page = t + 1});
    all.push_back({.id = id[level_db],
                   .label = "Level",
                   .unit = "dB",
                   .least = part_off_db,
                   .most = 0,
                   .standard = t == 0 ? -6.0 : part_off_db,
                   .help = "How loud the echo is.",
                   .off_at = part_off_db,
                   .page = t + 1});
    all.push_back({.id = id[pan_pct],
                   .label = "Position",
                   .unit = "%",
                   .least = -100,
                   .most = 100,
                   .standard = 0,
                   .help = "Where it stands between left and right; heard in stereo.",
                   .page = t + 1});
    all.push_back({.id = id[feedback_pct],
                   .label = "Feedback",
                   .unit = "%",
                   .least = 0,
                   .most = 90,
                   .standard = t == 0 ? 35.0 : 0.0,
                   .help = "How much of it goes round again: each echo is that much of the one "
                           "before.",
                   .page = t + 1});
  }
  all.push_back({.id = "low_hz",
                 .label = "Low cut",
                 .unit = "Hz",
                 .least = 20,
                 .most = 2000,
                 .standard = 120,
                 .scale = Scale::logarithmic,
                 .help = "What is lower fades from echo to echo.",
                 .off_at = 20});
  all.push_back({.id = "high_hz",
                 .label = "High cut",
                 .unit = "Hz",
                 .least = 500,
                 .most = 20000,
                 .standard = 6000,
                 .scale = Scale::logarithmic,
                 .help = "What is higher fades from echo to echo.",
                 .off_at = 20000});
  all.push_back(
      choice_parameter("way", "Way", {{"straight", "straight"}, {"ping_pong", "from side to side"}},
                       straight, "Whether echoes go from side to side; heard in stereo."));
  all.push_back({.id = "duck_db",
                 .label = "Give way",
                 .unit = "dB",
                 .least = 0,
                 .most = 24,
                 .standard = 0,
                 .help = "How much quieter echoes are while the voice speaks, in dB."});
  all.push_back(mix_parameter(50));
  all.push_back(out_parameter());
  return all;
}

TapsSpec picture() {
  TapsSpec spec;
  for (int t = 0; t < tap_count; ++t)
    spec.taps.push_back({of_tap(t, time_ms), of_tap(t, level_db), of_tap(t, feedback_pct), t + 1});
  return spec;
}

}  // namespace

const StepType& delay_step() {
  static const StepType type{
      .id = "delay",
      .label = "Delay",
      .summary = "echoes, up to four, that fade away",
      .family = Family::space,
      .parameters = parameters(),
      .starting_points =
          {{"One echo",
            "off a wall across the yard",
            {{"time_1_ms", 280}, {"level_1_db", -9}, {"feedback_1_pct", 0}, {"high_hz", 4000}}},
           {"Canyon",
            "three walls, far away",
            {{"time_1_ms", 420},
             {"level_1_db", -8},
             {"feedback_1_pct", 45},
             {"time_2_ms", 690},
             {"level_2_db", -12},
             {"pan_2_pct", -70},
             {"time_3_ms", 1130},
             {"level_3_db", -16},
             {"pan_3_pct", 70},
             {"high_hz", 3000}}},
           {"Doubled",
            "a second voice right behind the first",
            {{"time_1_ms", 32}, {"level_1_db", -3}, {"feedback_1_pct", 0}}},
           {"Thoughts",
            "from side to side, giving way to the words",
            {{"time_1_ms", 520},
             {"feedback_1_pct", 60},
             {"way", 1},
             {"duck_db", 14},
             {"high_hz", 2500},
             {"out", 1}}}},
      .make = make_work<Echo>,
      .channels_out = channels_by_out<out>,
      .traits = {.spreads_in_time = true},
      .brief = [](const Settings& s) { return fmt::format("{:.0f} ms", s[0]); },
      .picture = picture(),
      .revision = 2,
      .run_in_s = 8,
  };
  return type;
}

}  // namespace drevan
