// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <complex>
#include <utility>

#include "dsp/radio_channel.h"
#include "dsp/smoothed.h"
#include "steps/common_parameters.h"
#include "steps/line/line_band.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  system_kind,
  low_hz,
  high_hz,
  signal_db,
  fading_pct,
  fades_hz,
  off_hz,
  station_db,
  squelch,
  mix_pct,
  level
};

struct Kind {
  std::string_view id, label;
  RadioSystem system;
};
// In the order of the list's entries. Widths and deviations: the services' own, from memory.
constexpr std::array<Kind, 4> kinds{{
    {"broadcast", "broadcast, AM", {.channel_hz = 9000}},
    {"shortwave", "shortwave, AM", {.channel_hz = 6000, .selective = true}},
    {"marine", "marine, FM", {.frequency = true, .deviation_hz = 5000, .channel_hz = 16000}},
    {"hand_held", "hand-held, FM", {.frequency = true, .deviation_hz = 2500, .channel_hz = 11000}},
}};
const Kind& kind_of(const Settings& s) { return kinds[static_cast<size_t>(s[system_kind])]; }

FilterSlots band(const Settings& s, double rate) { return line_band(s[low_hz], s[high_hz], rate); }

// Lifts what is high before the air and lowers it again behind: noise of FM is high. 6 dB an octave
// from 300 Hz, as land mobile and marine sets do (common practice, no source); 1 at 1 kHz.
class Emphasis {
 public:
  explicit Emphasis(double rate) {
    a_ = std::exp(-2 * std::numbers::pi * 300 / rate);
    const std::complex<double> z = std::polar(1.0, -2 * std::numbers::pi * 1000 / rate);
    gain_ = 1 / std::abs(1.0 - a_ * z);
  }
  void reset() noexcept { in_ = out_ = 0; }
  double lift(double x) noexcept { return gain_ * (x - a_ * std::exchange(in_, x)); }
  double lower(double x) noexcept { return out_ = x / gain_ + a_ * out_; }

 private:
  double a_ = 0, gain_ = 1, in_ = 0, out_ = 0;
};

// The sender brings every voice to one loudness and lets none over full modulation.
class Sender {
 public:
  explicit Sender(double rate) { loud_.set(3, 500, rate); }
  void reset() noexcept { loud_.reset(); }
  double process(double x) noexcept {
    // To 70 % of full modulation, by 32 dB at most.
    const double y = x * std::min(0.7 / std::max(loud_.process(std::abs(x)), 1e-4), 40.0);
    return y / std::sqrt(std::sqrt(1 + y * y * y * y));
  }

 private:
  BranchingDetector loud_;
};

class RadioLink final : public Processor {
 public:
  RadioLink(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        frequency_(kind_of(s).system.frequency),
        before_(format, band(s, format.rate)),
        behind_(format, band(s, format.rate)),
        dry_copy_(format.channels, most),
        gone_s_(frequency_ ? 0.35 : 0.6) {
    for (int c = 0; c < format.channels; ++c)
      lines_.emplace_back(rate_, RadioChannel(rate_, kind_of(s).system, c));
    const auto prepare = [this](Smoothed& value, double start) { value.prepare(rate_, 30, start); };
    prepare(signal_, s[signal_db]);
    prepare(fading_, s[fading_pct] / 100);
    prepare(fades_, s[fades_hz]);
    prepare(off_, s[off_hz]);
    prepare(station_, part_gain(s[station_db]));
    prepare(mix_, s[mix_pct] / 100);
    reset();
  }
  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(most, block.frames() - done);
      work(block.part(done, n));
      done += n;
    }
  }
  Samples tail() const noexcept override {
    return 3 * before_.tail() + static_cast<Samples>((gone_s_ + 0.5) * rate_);
  }
  void reset() noexcept override {
    before_.reset();
    behind_.reset();
    for (auto& line : lines_) line.reset();
    for (Smoothed* s : {&signal_, &fading_, &fades_, &off_, &station_, &mix_}) s->jump(s->goal());
  }
  void place(Samples frame) noexcept override {
    for (auto& line : lines_) line.channel.place(frame);
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == low_hz || parameter == high_hz) {
      before_.set(band(settings_, rate_));
      behind_.set(band(settings_, rate_));
    }
    if (parameter == signal_db) signal_.set(value);
    if (parameter == fading_pct) fading_.set(value / 100);
    if (parameter == fades_hz) fades_.set(value);
    if (parameter == off_hz) off_.set(value);
    if (parameter == station_db) station_.set(part_gain(value));
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  static constexpr int most = 128;
  struct Line {
    Line(double rate, const RadioChannel& of) : channel(of), sender(rate), emphasis(rate) {}
    RadioChannel channel;
    Sender sender;
    Emphasis emphasis;
    Samples silent = 0;
    double carrier = 0, open = 0;
    void reset() noexcept {
      channel.reset();
      sender.reset();
      emphasis.reset();
      silent = 1L << 30;
      carrier = open = 0;
    }
  };

  void work(const AudioBlock& block) noexcept {
    const auto dry = dry_copy_.block(0, block.frames());
    dry.copy_from(block);
    before_.process(block);
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const RadioPath path{.signal_db = signal_.next(),
                           .fading = fading_.next(),
                           .fades_hz = fades_.next(),
                           .off_hz = off_.next(),
                           .station = station_.next()};
      for (size_t c = 0; c < lines_.size(); ++c) {
        float& x = block.channel(static_cast<int>(c))[i];
        x = static_cast<float>(speak(lines_[c], static_cast<double>(x),
                                     static_cast<double>(dry.channel(static_cast<int>(c))[i]),
                                     path));
      }
    }
    behind_.process(block);
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto mix = static_cast<float>(mix_.next());
      for (int c = 0; c < block.channels(); ++c) {
        float& x = block.channel(c)[i];
        const float d = dry.channel(c)[i];
        x = d + mix * (x - d);
      }
    }
  }
  // The sender is keyed while somebody speaks; the receiver's squelch shuts a moment later, which
  // is when its tail of noise is heard. Without a squelch the station stays on until all is over.
  double speak(Line& line, double x, double heard, const RadioPath& path) noexcept {
    const bool keyed_by_voice = frequency_ && settings_[squelch] > 0;
    line.silent = std::abs(heard) < (keyed_by_voice ? 1e-3 : 1e-7) ? line.silent + 1 : 0;
    const auto frames = [this](double s) { return static_cast<Samples>(s * rate_); };
    const bool keyed = line.silent < frames(gone_s_);
    const bool listens = line.silent < frames(gone_s_ + (keyed_by_voice ? 0.14 : 0.0));
    const double quick = 1 / (0.004 * rate_), slow = 1 / (0.02 * rate_);
    line.carrier = std::clamp(keyed ? 1.0 : 0.0, line.carrier - quick, line.carrier + quick);
    line.open = std::clamp(listens ? 1.0 : 0.0, line.open - slow, line.open + slow);
    double y = line.sender.process(x);
    if (frequency_) y = std::clamp(line.emphasis.lift(y), -1.0, 1.0);
    y = line.channel.pass(y, frequency_ ? line.carrier : 1.0, path);
    if (frequency_) y = line.emphasis.lower(y);
    return 0.3 * line.open * y;
  }

  Settings settings_;
  double rate_;
  bool frequency_;
  FilterBank before_, behind_;
  std::vector<Line> lines_;
  AudioBuffer dry_copy_;
  double gone_s_;  // how long the sender stays keyed in a pause
  Smoothed signal_, fading_, fades_, off_, station_, mix_;
};

double response(const Settings& s, double hz, double rate) {
  return 2 * response_db(band(s, rate), hz, rate);
}

std::vector<Parameter> parameters() {
  std::vector<Choice> of;
  for (const auto& k : kinds) of.push_back({k.id, k.label});
  Parameter kind = choice_parameter("system", "System", of, 2, "How it is sent.");
  kind.fixed = true;
  Parameter station = part_parameter("station_db", "Other station", part_off_db,
                                     "Somebody else on nearly the same frequency.");
  return {kind,
          {.id = "low_hz",
           .label = "From",
           .unit = "Hz",
           .least = 50,
           .most = 1200,
           .standard = 300,
           .scale = Scale::logarithmic,
           .help = "Below this frequency (Hz) the link carries nothing."},
          {.id = "high_hz",
           .label = "To",
           .unit = "Hz",
           .least = 1500,
           .most = 6000,
           .standard = 3000,
           .scale = Scale::logarithmic,
           .help = "Above this frequency (Hz) the link carries nothing."},
          {.id = "signal_db",
           .label = "Signal",
           .unit = "dB",
           .least = -5,
           .most = 60,
           .standard = 22,
           .help = "The carrier against the noise in its channel. FM breaks up below 10 dB."},
          {.id = "fading_pct",
           .label = "Fading",
           .unit = "%",
           .least = 0,
           .most = 100,
           .standard = 0,
           .help = "How much the signal comes and goes.",
           .off_at = 0},
          {.id = "fades_hz",
           .label = "Fades",
           .unit = "Hz",
           .least = 0.05,
           .most = 20,
           .standard = 0.4,
           .scale = Scale::logarithmic,
           .help = "How fast it comes and goes: slow over the sea, fast from a car.",
           .paces = true},
          {.id = "off_hz",
           .label = "Tuned off",
           .unit = "Hz",
           .least = -4000,
           .most = 4000,
           .standard = 0,
           .help = "How far the receiver stands beside the station.",
           .paces = true},
          station,
          choice_parameter("squelch", "Squelch", {{"off", "off"}, {"on", "on"}}, 1,
                           "FM: silent while nobody sends, with a short tail of noise."),
          mix_parameter(100),
          level_parameter()};
}

}  // namespace

const StepType& radio_link_step() {
  static const StepType type{
      .id = "radio-link",
      .label = "Radio link",
      .summary = "sent over the air and received",
      .family = Family::line,
      .parameters = parameters(),
      .starting_points = {{"Coast station",
                           "marine FM, far enough to hiss",
                           {{"low_hz", 350}, {"high_hz", 2800}, {"signal_db", 16}}},
                          {"Hand-held, near",
                           "clear and pressed",
                           {{"system", 3}, {"low_hz", 400}, {"high_hz", 2700}, {"signal_db", 30}}},
                          {"Edge of range",
                           "breaks up and comes back",
                           {{"system", 3},
                            {"low_hz", 450},
                            {"high_hz", 2500},
                            {"signal_db", 9},
                            {"fading_pct", 70},
                            {"fades_hz", 1.5}}},
                          {"Broadcast at night",
                           "AM with another station under it",
                           {{"system", 0},
                            {"low_hz", 80},
                            {"high_hz", 4500},
                            {"signal_db", 28},
                            {"station_db", -24},
                            {"squelch", 0}}},
                          {"Across the ocean",
                           "shortwave, fading, its tone hollow at times",
                           {{"system", 1},
                            {"low_hz", 150},
                            {"signal_db", 20},
                            {"fading_pct", 80},
                            {"fades_hz", 0.3},
                            {"squelch", 0}}},
                          {"Finding the station",
                           "give the tuning a curve",
                           {{"system", 0},
                            {"high_hz", 4500},
                            {"signal_db", 24},
                            {"off_hz", 1800},
                            {"squelch", 0}}}},
      .make = make_work<RadioLink>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief =
          [](const Settings& s) {
            return fmt::format("{}, {:.0f} dB", kind_of(s).label, s[signal_db]);
          },
      .picture = ResponseSpec{.response_db = response, .bands = {{.hz = low_hz}, {.hz = high_hz}}},
      .run_in_s = 3,
  };
  return type;
}

}  // namespace drevan
