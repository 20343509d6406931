// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "audio/error.h"
#include "dsp/convolver.h"
#include "dsp/delay.h"
#include "dsp/fractional_delay.h"
#include "dsp/response_shape.h"
#include "dsp/smoothed.h"
#include "dsp/stereo_width.h"
#include "media/response_file.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  start_ms,
  length_pct,
  stretch,
  decay_pct,
  low_hz,
  high_hz,
  measurement,
  gain,
  pre_delay_ms,
  width_pct,
  mix_pct,
  out
};
constexpr double lowest_hz = 20, highest_hz = 20000, most_pre_delay_ms = 500;
constexpr int tone_kept = 0, evened = 0, as_recorded = 1;

// Where no file is chosen: a plain room, chance that dies away in 0.7 s, faster where it is high.
std::shared_ptr<const AudioBuffer> plain_room(double rate) {
  constexpr double t60_s = 0.7, length_s = 0.9;
  auto out = std::make_shared<AudioBuffer>(2, static_cast<Samples>(length_s * rate));
  for (int c = 0; c < 2; ++c) {
    std::uint32_t state = 12345U + 777U * static_cast<std::uint32_t>(c);
    const auto x = out->channel(c);
    double dull = 0;
    for (size_t i = 0; i < x.size(); ++i) {
      state = state * 1664525U + 1013904223U;
      const double s = static_cast<double>(i) / rate;
      const double chance = static_cast<double>(state >> 8) / 8388608.0 - 1;
      dull += std::exp(-3 * s) * (chance - dull);
      x[i] = static_cast<float>(s < 0.006 ? 0 : 0.12 * dull * std::exp(-6.9078 * s / t60_s));
    }
    x[0] = 1;
  }
  return out;
}

std::shared_ptr<const AudioBuffer> response_of(const Settings& s, double rate) {
  if (!s.texts[0].empty()) try {
      return load_response(s.texts[0], static_cast<int>(s[measurement]), rate);
    } catch (const Error&) {  // told by plan_flaws()
      return nullptr;
    }
  return plain_room(rate);
}

ResponseShape shape_of(const Settings& s) {
  return {.start_s = s[start_ms] / 1000,
          .length = s[length_pct] / 100,
          .keeps_tone = s[stretch] == tone_kept,
          .decay = s[decay_pct] / 100,
          .low_hz = s[low_hz] > lowest_hz ? s[low_hz] : 0,
          .high_hz = s[high_hz] < highest_hz ? s[high_hz] : 0};
}

// As it is heard; nothing where the file cannot be read.
AudioBuffer shaped(const Settings& s, double rate) {
  const auto response = response_of(s, rate);
  if (!response) return {};
  AudioBuffer x =
      shape_response(*response, rate, shape_of(s), static_cast<Samples>(longest_response_s * rate));
  if (s[gain] == as_recorded) return x;
  const auto even = static_cast<float>(even_gain(x, rate));
  for (int c = 0; c < x.channels(); ++c)
    for (float& v : x.channel(c)) v *= even;
  return x;
}

class Convolution final : public Processor {
 public:
  Convolution(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        dry_(channels_out_, static_cast<int>(latency())) {
    const AudioBuffer response = shaped(s, rate_);
    frames_ = response.frames();
    if (frames_ > 0) connect(response);
    for (int c = 0; c < channels_in_; ++c)
      lines_.emplace_back(most_pre_delay_ms / 1000 * rate_ + 2 * chunk);
    const auto prepare = [&](Smoothed& value, double start) { value.prepare(rate_, 20, start); };
    prepare(width_, s[width_pct] / 100);
    // Without a response what enters stays as it is.
    prepare(mix_, wanted_mix());
    aim();
    reset();
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(chunk - at_, block.frames() - done);
      if (at_ == 0) {
        if (fade_ >= 1 && wanted_ != to_) {
          from_ = to_;
          to_ = wanted_;
          fade_ = 0;
        }
        fading_ = fade_ < 1;
      }
      run(block.part(done, n));
      done += n;
      at_ = (at_ + n) % chunk;
    }
  }
  Samples latency() const noexcept override {
    return LongConvolver::latency() + response_lead(rate_);
  }
  Samples tail() const noexcept override {
    return frames_ + static_cast<Samples>(settings_[pre_delay_ms] / 1000 * rate_) +
           LongConvolver::latency();
  }
  void reset() noexcept override {
    for (auto& w : ways_) w.through.reset();
    for (auto& l : lines_) l.reset();
    dry_.reset();
    width_.jump(width_.goal());
    mix_.jump(mix_.goal());
    from_ = to_ = wanted_;
    fade_ = 1;
    at_ = 0;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == width_pct) width_.set(value / 100);
    if (parameter == mix_pct) mix_.set(wanted_mix());
    if (parameter == pre_delay_ms) aim();
  }

 private:
  static constexpr int chunk = 64;
  using Frames = std::array<float, chunk>;
  struct Way {
    int from, to;
    LongConvolver through;
  };

  // A response of one channel serves all; of four in stereo: left to left and right, right to left
  // and right; otherwise its channels go with those that leave.
  void connect(const AudioBuffer& response) {
    const int has = response.channels();
    if (has == 4 && channels_out_ == 2) {
      for (int from = 0; from < 2; ++from)
        for (int to = 0; to < 2; ++to) {
          if (channels_in_ == 1 && from == 1) continue;
          std::vector<float> x(static_cast<size_t>(response.frames()));
          for (size_t i = 0; i < x.size(); ++i)
            x[i] = channels_in_ == 2
                       ? response.channel(2 * from + to)[i]
                       : 0.5F * (response.channel(to)[i] + response.channel(2 + to)[i]);
          ways_.push_back({from, to, LongConvolver(x)});
        }
      return;
    }
    for (int to = 0; to < channels_out_; ++to)
      ways_.push_back(
          {std::min(to, channels_in_ - 1), to, LongConvolver(response.channel(to % has))});
  }
  double wanted_mix() const noexcept { return ways_.empty() ? 0 : settings_[mix_pct] / 100; }
  void aim() noexcept { wanted_ = static_cast<int>(settings_[pre_delay_ms] / 1000 * rate_); }

  void run(const AudioBlock& x) noexcept {
    const auto n = static_cast<size_t>(x.frames());
    std::array<Frames, max_channels> wet{}, late;  // NOLINT: written before it is read
    Frames share{};
    for (size_t i = 0; fading_ && i < n; ++i) {
      share[i] = static_cast<float>(fade_ * fade_ * (3 - 2 * fade_));
      fade_ = std::min(1.0, fade_ + 1 / (0.04 * rate_));
    }
    for (int c = 0; c < channels_in_; ++c) {
      auto& line = lines_[static_cast<size_t>(c)];
      Frames& to = late[static_cast<size_t>(c)];
      line.write(x.channel(c));
      std::ranges::copy(line.read_whole(to_, n), to.begin());
      if (!fading_) continue;
      const auto before = line.read_whole(from_, n);
      for (size_t i = 0; i < n; ++i) to[i] = before[i] + share[i] * (to[i] - before[i]);
    }
    for (auto& way : ways_)
      way.through.add(std::span(late[static_cast<size_t>(way.from)]).first(n),
                      std::span(wet[static_cast<size_t>(way.to)]).first(n));
    leave(x, wet);
  }
  void leave(const AudioBlock& x, std::array<Frames, max_channels>& wet) noexcept {
    const auto n = static_cast<size_t>(x.frames());
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(x.channel(0), x.channel(c).begin());
    dry_.process(x.first(channels_out_));
    Frames mix{}, width{};
    mix_.next(std::span(mix).first(n));
    width_.next(std::span(width).first(n));
    if (channels_out_ == 2) set_width(wet[0].data(), wet[1].data(), width.data(), n);
    for (int c = 0; c < channels_out_; ++c) {
      const auto to = x.channel(c);
      for (size_t i = 0; i < n; ++i) to[i] += mix[i] * (wet[static_cast<size_t>(c)][i] - to[i]);
    }
  }

  Settings settings_;
  double rate_;
  int channels_in_, channels_out_;
  Samples frames_ = 0;  // of the response
  std::vector<Way> ways_;
  std::vector<FractionalDelay> lines_;
  Delay dry_;
  int wanted_ = 0, to_ = 0, from_ = 0;  // pre-delay in frames
  double fade_ = 1;
  bool fading_ = false;  // in this chunk
  int at_ = 0;
  Smoothed width_, mix_;
};

// Of the picture: level over time, in dB against the strongest.
ResponseCourse course(const Settings& s) {
  constexpr double rate = 16000;  // enough for levels, and soon reckoned
  ResponseCourse out{.step_s = 0.005};
  const auto levels = [&](const AudioBuffer& x, Samples from) {
    const auto power = response_energy(x, std::min(from, x.frames()), rate);
    const double top = power.empty() ? 1 : *std::ranges::max_element(power);
    std::vector<float> db;
    for (const double p : power)
      db.push_back(static_cast<float>(power_to_db(std::max(p / std::max(top, 1e-30), 1e-12))));
    return db;
  };
  const auto response = response_of(s, rate);
  if (!response) return out;
  out.recorded_db = levels(*response, first_sound(*response));
  const AudioBuffer now =
      shape_response(*response, rate, shape_of(s), static_cast<Samples>(longest_response_s * rate));
  out.heard_db = levels(now, response_lead(rate));
  out.t60_s = response_decay(now, rate).t60_s;
  return out;
}

Parameter still(Parameter p) {
  p.fixed = true;
  return p;
}
std::vector<Parameter> parameters() {
  return {
      still({.id = "start_ms",
             .label = "Start",
             .unit = "ms",
             .least = -500,
             .most = 500,
             .standard = 0,
             .help = "What the response begins with: 0 is its first sound; later leaves the "
                     "direct sound out, earlier keeps what rises before it."}),
      still({.id = "length_pct",
             .label = "Length",
             .unit = "%",
             .least = 25,
             .most = 400,
             .standard = 100,
             .scale = Scale::logarithmic,
             .help = "How long the whole response is drawn out."}),
      still(choice_parameter("stretch", "Drawn out",
                             {{"tone_kept", "tone kept"}, {"like_tape", "like tape"}}, tone_kept,
                             "Tone kept: the same space, larger. Like tape: longer is darker, "
                             "shorter is brighter.")),
      still({.id = "decay_pct",
             .label = "Decay",
             .unit = "%",
             .least = 20,
             .most = 200,
             .standard = 100,
             .scale = Scale::logarithmic,
             .help = "How long it takes to die away, against the recording."}),
      still({.id = "low_hz",
             .label = "Low cut",
             .unit = "Hz",
             .least = lowest_hz,
             .most = 1000,
             .standard = lowest_hz,
             .scale = Scale::logarithmic,
             .help = "What is lower is taken out of the response.",
             .off_at = lowest_hz}),
      still({.id = "high_hz",
             .label = "High cut",
             .unit = "Hz",
             .least = 1000,
             .most = highest_hz,
             .standard = highest_hz,
             .scale = Scale::logarithmic,
             .help = "What is higher is taken out of the response.",
             .off_at = highest_hz}),
      still({.id = "measurement",
             .label = "Number",
             .least = 1,
             .most = 1000,
             .standard = 1,
             .help = "Which of the measurements that a SOFA file holds.",
             .whole = true}),
      still(choice_parameter("gain", "Loudness",
                             {{"evened", "evened"}, {"as_recorded", "as recorded"}}, evened,
                             "Evened: every response is as loud as what enters. As recorded: with "
                             "the file's own gain.")),
      {.id = "pre_delay_ms",
       .label = "Pre-delay",
       .unit = "ms",
       .least = 0,
       .most = most_pre_delay_ms,
       .standard = 0,
       .help = "How late the response answers, in ms."},
      {.id = "width_pct",
       .label = "Width",
       .unit = "%",
       .least = 0,
       .most = 200,
       .standard = 100,
       .help = "How wide the response stands between left and right; heard in stereo."},
      mix_parameter(35),
      out_parameter()};
}

}  // namespace

const StepType& convolution_step() {
  static const StepType type{
      .id = "convolution",
      .label = "Convolution",
      .summary = "the answer of a real room or device, from a recorded response",
      .family = Family::space,
      .parameters = parameters(),
      .texts = {{.id = "response",
                 .label = "Response",
                 .help = "A recorded response: WAV, FLAC, AIFF or SOFA. None: a plain room.",
                 .files = response_files,
                 .fault = response_fault,
                 .is_response = true}},
      .starting_points = {{"Behind the voice",
                           "words stay clear, the place is heard after them",
                           {{"pre_delay_ms", 20}, {"mix_pct", 20}, {"low_hz", 150}, {"out", 1}}},
                          {"In the place", "as if recorded there", {{"mix_pct", 100}, {"out", 1}}},
                          {"Only its answer",
                           "without the direct sound: to be mixed in",
                           {{"start_ms", 8}, {"mix_pct", 100}, {"out", 1}}},
                          {"Larger and darker",
                           "drawn out like tape: a far bigger place",
                           {{"length_pct", 220}, {"stretch", 1}, {"mix_pct", 45}, {"out", 1}}},
                          {"Through the device",
                           "a loudspeaker, a tube, a telephone: all of the sound, as it comes",
                           {{"mix_pct", 100}}}},
      .make = make_work<Convolution>,
      .channels_out = channels_by_out<out>,
      .traits = {.spreads_in_time = true},
      .brief = [](const Settings& s) { return fmt::format("{:.0f} %", s[mix_pct]); },
      .picture = EchogramSpec{.course = course,
                              .start = start_ms,
                              .length = length_pct,
                              .decay = decay_pct,
                              .begins = pre_delay_ms,
                              .mix = mix_pct},
      .run_in_s = 6,
  };
  return type;
}

}  // namespace drevan
