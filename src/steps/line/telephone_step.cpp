// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <optional>

#include "dsp/carrier.h"
#include "dsp/delay.h"
#include "dsp/smoothed.h"
#include "dsp/telephone_line.h"
#include "steps/common_parameters.h"
#include "steps/line/line_band.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int {
  network,
  low_hz,
  high_hz,
  grit_pct,
  loss_pct,
  noise_db,
  clicks_pct,
  side_db,
  mix_pct,
  level
};

constexpr double most_hz = 8000;

struct Network {
  std::string_view id, label;
  std::optional<Codec> codec;
  double highest_hz;
};
// In the order of the list's entries.
constexpr std::array<Network, 10> networks{{
    {"landline_a", "landline, A-law", Codec::a_law, 3700},
    {"landline_u", "landline, µ-law", Codec::mu_law, 3700},
    {"wideband", "wideband", Codec::g722, 7400},
    {"mobile_full", "mobile, full rate", Codec::gsm, 3700},
    {"mobile_12", "mobile, 12.2 kbit/s", Codec::amr_12, 3700},
    {"mobile_7", "mobile, 7.4 kbit/s", Codec::amr_7, 3700},
    {"mobile_5", "mobile, 4.75 kbit/s", Codec::amr_5, 3700},
    {"internet", "internet call", Codec::opus_16, 7400},
    {"internet_thin", "internet call, hardly any line", Codec::opus_6, 3700},
    {"filters", "filters alone", std::nullopt, 20000},
}};
const Network& network_of(const Settings& s) { return networks[static_cast<size_t>(s[network])]; }

FilterSlots band(const Settings& s, double rate) {
  // At its far right the upper end is left to the network.
  return line_band(s[low_hz], s[high_hz] < most_hz ? s[high_hz] : rate, rate);
}

// An over-driven microphone of carbon: it bends one side of the wave more than the other.
float grit(float x, float drive) noexcept {
  const float y = drive * x;
  return y / std::sqrt(1 + y * y) / std::sqrt(1 + drive) + 0.12F * y * y / (1 + y * y) / drive;
}

// Crackle by the frame alone: in each twentieth of a second there may be one.
class Clicks {
 public:
  void prepare(double rate) {
    every_ = static_cast<Samples>(0.05 * rate);
    fade_ = static_cast<float>(std::exp(-1 / (0.0004 * rate)));
  }
  void reset() noexcept { loud_ = 0; }
  float next(Samples frame, int channel, double often) noexcept {
    const auto chance = [&](int what) {
      return 0.5 + 0.5 * static_cast<double>(frame_noise(frame / every_, 200 + 8 * channel + what));
    };
    if (frame % every_ == static_cast<Samples>(chance(0) * static_cast<double>(every_ - 1)) &&
        chance(1) < often)
      loud_ = static_cast<float>(from_db(-36 + 24 * chance(2)));
    loud_ *= fade_;
    return loud_ < 1e-6F ? 0 : loud_ * frame_noise(frame, 300 + channel);
  }

 private:
  Samples every_ = 1;
  float fade_ = 0, loud_ = 0;
};

class Telephone final : public Processor {
 public:
  Telephone(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        filters_(format, band(s, format.rate)),
        lines_(static_cast<size_t>(format.channels)),
        dry_copy_(format.channels, most) {
    const auto codec = network_of(s).codec;
    for (auto& line : lines_) {
      if (codec) line.network = std::make_unique<TelephoneLine>(rate_, *codec);
      line.clicks.prepare(rate_);
    }
    if (codec) latency_ = lines_[0].network->latency();
    dry_.emplace(format.channels, static_cast<int>(latency_));
    side_copy_ = AudioBuffer(format.channels, most);
    beside_.emplace(format.channels, static_cast<int>(latency_));
    const auto prepare = [this](Smoothed& value, double start) { value.prepare(rate_, 20, start); };
    prepare(drive_, drive_of(s[grit_pct]));
    prepare(noise_, part_gain(s[noise_db]));
    prepare(often_, s[clicks_pct] / 100);
    prepare(side_, part_gain(s[side_db]));
    prepare(mix_, s[mix_pct] / 100);
    reset();
  }
  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(most, block.frames() - done);
      speak(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return latency_; }
  Samples tail() const noexcept override {
    const Samples quarter = static_cast<Samples>(0.3 * rate_);
    return 3 * filters_.tail() / 2 + (lines_[0].network ? lines_[0].network->tail() : quarter);
  }
  void reset() noexcept override {
    filters_.reset();
    dry_->reset();
    beside_->reset();
    for (Smoothed* s : {&drive_, &noise_, &often_, &side_, &mix_}) s->jump(s->goal());
    place(0);
  }
  void place(Samples frame) noexcept override {
    frame_ = frame;
    for (auto& line : lines_) {
      line.clicks.reset();
      line.silent = 1L << 30;
      line.open = 0;
      if (!line.network) continue;
      line.network->place(frame);
      line.network->set_loss(settings_[loss_pct] / 100);
    }
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == low_hz || parameter == high_hz) filters_.set(band(settings_, rate_));
    if (parameter == grit_pct) drive_.set(drive_of(value));
    if (parameter == loss_pct)
      for (auto& line : lines_)
        if (line.network) line.network->set_loss(value / 100);
    if (parameter == noise_db) noise_.set(part_gain(value));
    if (parameter == clicks_pct) often_.set(value / 100);
    if (parameter == side_db) side_.set(part_gain(value));
    if (parameter == mix_pct) mix_.set(value / 100);
  }

 private:
  static constexpr int most = 128;
  using Frames = std::array<float, most>;
  struct Line {
    std::unique_ptr<TelephoneLine> network;
    Clicks clicks;
    Samples silent = 0;
    float open = 0;  // noise is heard only while somebody is on the line
  };
  static double drive_of(double pct) { return pct <= 0 ? 0 : from_db(0.36 * pct); }

  void speak(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Frames drive, noise, often, side, mix;  // NOLINT
    for (auto [from, to] : {std::pair{&drive_, &drive},
                            {&noise_, &noise},
                            {&often_, &often},
                            {&side_, &side},
                            {&mix_, &mix}})
      from->next(std::span(*to).first(n));
    const auto dry = dry_copy_.block(0, block.frames()), own = side_copy_.block(0, block.frames());
    dry.copy_from(block);
    dry_->process(dry);
    for (size_t c = 0; c < lines_.size(); ++c)
      enter(lines_[c], block.channel(static_cast<int>(c)), static_cast<int>(c), drive, noise,
            often);
    filters_.process(block);
    own.copy_from(block);
    beside_->process(own);
    for (size_t c = 0; c < lines_.size(); ++c) {
      const auto x = block.channel(static_cast<int>(c));
      if (lines_[c].network) lines_[c].network->process(x);
      const auto d = dry.channel(static_cast<int>(c)), s = own.channel(static_cast<int>(c));
      for (size_t i = 0; i < n; ++i) x[i] = d[i] + mix[i] * (x[i] + side[i] * s[i] - d[i]);
    }
    frame_ += static_cast<Samples>(n);
  }
  // What the microphone and the wire make of the sound before it enters the network.
  void enter(Line& line, std::span<float> x, int channel, const Frames& drive, const Frames& noise,
             const Frames& often) noexcept {
    const auto closes = static_cast<Samples>(0.25 * rate_);
    const auto step = static_cast<float>(1 / (0.02 * rate_));
    for (size_t i = 0; i < x.size(); ++i) {
      line.silent = x[i] == 0 ? line.silent + 1 : 0;
      const float goal = line.silent < closes ? 1.0F : 0.0F;
      line.open = std::clamp(goal, line.open - step, line.open + step);
      if (drive[i] > 0) x[i] = grit(x[i], drive[i]);
      if (noise[i] == 0 && often[i] == 0) continue;
      const Samples frame = frame_ + static_cast<Samples>(i);
      x[i] += line.open * (noise[i] * frame_noise(frame, channel) +
                           line.clicks.next(frame, channel, static_cast<double>(often[i])));
    }
  }

  Settings settings_;
  double rate_;
  FilterBank filters_;
  std::vector<Line> lines_;
  std::optional<Delay> dry_, beside_;
  AudioBuffer dry_copy_, side_copy_{1, 1};
  Samples latency_ = 0, frame_ = 0;
  Smoothed drive_, noise_, often_, side_, mix_;
};

double response(const Settings& s, double hz, double rate) {
  // What the network's own rate leaves is all but upright.
  const double beyond = std::max(0.0, std::log2(hz / network_of(s).highest_hz));
  return response_db(band(s, rate), hz, rate) - 500 * beyond;
}

std::vector<Parameter> parameters() {
  std::vector<Choice> choices;
  for (const auto& n : networks) choices.push_back({n.id, n.label});
  Parameter by = choice_parameter("network", "Network", choices, 0,
                                  "What carries the call, by its real codec.");
  by.fixed = true;
  const auto percent = [](std::string_view id, std::string_view label, double most,
                          std::string_view help) {
    return Parameter{.id = id,
                     .label = label,
                     .unit = "%",
                     .least = 0,
                     .most = most,
                     .standard = 0,
                     .help = help,
                     .off_at = 0};
  };
  Parameter noise = part_parameter("noise_db", "Line noise", part_off_db,
                                   "Hiss of the line, while there is sound on it.");
  noise.most = -20;
  Parameter own =
      part_parameter("side_db", "Side tone", part_off_db,
                     "The speaker's own voice beside the call, as the earpiece gives it back.");
  own.most = 0;
  return {
      by,
      {.id = "low_hz",
       .label = "From",
       .unit = "Hz",
       .least = 50,
       .most = 1200,
       .standard = 200,
       .scale = Scale::logarithmic,
       .help = "Below this frequency (Hz) the line carries nothing."},
      {.id = "high_hz",
       .label = "To",
       .unit = "Hz",
       .least = 1500,
       .most = most_hz,
       .standard = most_hz,
       .scale = Scale::logarithmic,
       .help = "Above this frequency (Hz) the line carries nothing. The far right leaves it to "
               "the network.",
       .off_at = most_hz},
      percent("grit_pct", "Grit", 100, "How far the microphone is over-driven."),
      percent("loss_pct", "Lost packets", 40,
              "How much of the call is lost, in bursts, and put in place of as the network does."),
      noise,
      percent("clicks_pct", "Crackle", 100, "How often the line crackles."),
      own,
      mix_parameter(100),
      level_parameter()};
}

}  // namespace

const StepType& telephone_step() {
  static const StepType type{
      .id = "telephone",
      .label = "Telephone",
      .summary = "a call, by the network's own codec",
      .family = Family::line,
      .parameters = parameters(),
      .starting_points = {{"Landline", "clean, as by law", {}},
                          {"By filters alone",
                           "the trade's plain recipe",
                           {{"network", 9}, {"low_hz", 850}, {"high_hz", 5100}}},
                          {"Old wire",
                           "grit, hiss and crackle",
                           {{"network", 1},
                            {"low_hz", 400},
                            {"high_hz", 3000},
                            {"grit_pct", 45},
                            {"noise_db", -48},
                            {"clicks_pct", 12}}},
                          {"Mobile", "good reception", {{"network", 4}, {"low_hz", 120}}},
                          {"Bad reception",
                           "words go missing",
                           {{"network", 6}, {"low_hz", 280}, {"high_hz", 3300}, {"loss_pct", 14}}},
                          {"Internet call",
                           "wide, with small losses",
                           {{"network", 7}, {"low_hz", 80}, {"high_hz", 7000}, {"loss_pct", 2}}}},
      .make = make_work<Telephone>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = [](const Settings& s) { return std::string(network_of(s).label); },
      .picture = ResponseSpec{.response_db = response, .bands = {{.hz = low_hz}, {.hz = high_hz}}},
      .run_in_s = 1,
  };
  return type;
}

}  // namespace drevan
