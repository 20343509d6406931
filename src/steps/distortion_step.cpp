#include <fmt/format.h>

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/oversampler.h"
#include "steps/common_parameters.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { kind, drive_db, bits, rate_hz, tone_hz, mix_pct, level };
constexpr int soft = 0, hard = 1, fold = 2, rectify = 3, few_bits = 4, low_rate = 5;

constexpr double pi = std::numbers::pi;
constexpr double mean_hz = 5;

// The curves, and what they are the slope of.
double curve(int k, double x) {
  switch (k) {
    case soft:
      return x / std::sqrt(1 + x * x);
    case hard:
      return std::clamp(x, -1.0, 1.0);
    case fold:
      return std::sin(pi / 2 * x);
    default:
      return std::abs(x);
  }
}
double area_under(int k, double x) {
  switch (k) {
    case soft:
      return std::sqrt(1 + x * x);
    case hard:
      return std::abs(x) <= 1 ? x * x / 2 : std::abs(x) - 0.5;
    case fold:
      return -2 / pi * std::cos(pi / 2 * x);
    default:
      return x * std::abs(x) / 2;
  }
}

// The mean of the curve between two samples instead of its value at them: what would alias is
// weaker by that much (J. D. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing of
// nonlinear waveshaping using continuous-time convolution", DAFx 2016).
double mean_between(int k, double from, double to, double area_from, double area_to) {
  return std::abs(to - from) < 1e-5 ? curve(k, (from + to) / 2)
                                    : (area_to - area_from) / (to - from);
}

double quantised(double x, double levels) { return std::round(x * levels) / levels; }

class Distortion final : public Processor {
 public:
  Distortion(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        kind_(static_cast<int>(s[kind])),
        lanes_(static_cast<size_t>(format.channels)),
        dry_(format.channels, Oversampler::latency()),
        dry_copy_(format.channels, Oversampler::most_frames),
        mean_k_(1 - std::exp(-2 * pi * mean_hz / format.rate)) {
    drive_.prepare(format.rate, 10, from_db(s[drive_db]));
    levels_.prepare(format.rate, 10, std::exp2(s[bits] - 1));
    hold_.prepare(format.rate, 10, std::min(1.0, s[rate_hz] / format.rate));
    tone_.prepare(format.rate, 10, tone_k(s[tone_hz]));
    mix_.prepare(format.rate, 10, s[mix_pct] / 100);
    for (size_t i = 0; i < shares_.size(); ++i)
      shares_[i].prepare(format.rate, 10, static_cast<int>(i) == kind_ ? 1 : 0);
  }
  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, Oversampler::most_frames);
      part(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return Oversampler::latency(); }
  Samples tail() const noexcept override {
    return static_cast<Samples>(1.5 / mean_hz * rate_) + Oversampler::latency();
  }
  void reset() noexcept override {
    for (auto& l : lanes_) l = {};
    dry_.reset();
    for (Smoothed* s : {&drive_, &levels_, &hold_, &tone_, &mix_}) s->jump(s->goal());
    for (auto& s : shares_) s.jump(s.goal());
    held_phase_ = 1;
  }
  void place(Samples frame) noexcept override {
    const double cycles = hold_.goal() * static_cast<double>(frame);
    held_phase_ = cycles - std::floor(cycles);
    if (frame == 0) held_phase_ = 1;
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == kind)
      for (size_t i = 0; i < shares_.size(); ++i) shares_[i].set(static_cast<double>(i) == value);
    if (parameter == drive_db) drive_.set(from_db(value));
    if (parameter == bits) levels_.set(std::exp2(value - 1));
    if (parameter == rate_hz) hold_.set(std::min(1.0, value / rate_));
    if (parameter == tone_hz) tone_.set(tone_k(value));
    if (parameter == mix_pct) mix_.set(value / 100);
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_db_);
    out[1] = 0;
    return 2;
  }
  static double transfer(const Settings& s, double in_db) {
    const double x = from_db(in_db), mix = s[mix_pct] / 100, driven = x * from_db(s[drive_db]);
    const int k = static_cast<int>(s[kind]);
    const double y = k == few_bits   ? quantised(driven, std::exp2(s[bits] - 1))
                     : k == low_rate ? driven
                                     : curve(k, driven);
    return to_db(std::max(1e-6, std::abs(mix * y + (1 - mix) * x)));
  }

 private:
  struct Lane {
    Oversampler oversampler;
    double last = 0;                       // of the driven, oversampled sound
    double tone = 0, tone2 = 0, mean = 0;  // filters
    float held = 0;
    Delay beside{1, Oversampler::latency()};  // for what is not oversampled
  };
  using Values = std::array<double, Oversampler::most_frames>;

  double tone_k(double hz) const { return hz >= 20000 ? 1 : 1 - std::exp(-2 * pi * hz / rate_); }

  // Bent at eight times the rate; the shares of two kinds while it goes from one to the other.
  void bend(Lane& lane, Oversampler::Planes& planes, size_t n, const Values& drive,
            const std::array<Values, 4>& shares) noexcept {
    double last = lane.last;
    for (size_t i = 0; i < n; ++i)
      for (auto& plane : planes) {
        const double x = drive[i] * static_cast<double>(plane[i]);
        double y = 0;
        for (int k = soft; k <= rectify; ++k) {
          const double share = shares[static_cast<size_t>(k)][i];
          if (share == 0) continue;
          y += share * mean_between(k, last, x, area_under(k, last), area_under(k, x));
        }
        plane[i] = static_cast<float>(y);
        last = x;
      }
    lane.last = last;
  }

  void part(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Values drive, levels, hold, tone, mix;
    std::array<Values, 6> shares;
    std::array<bool, Oversampler::most_frames> takes{};
    for (size_t i = 0; i < n; ++i) {
      drive[i] = drive_.next();
      levels[i] = levels_.next();
      hold[i] = hold_.next();
      tone[i] = tone_.next();
      mix[i] = mix_.next();
      for (size_t k = 0; k < shares.size(); ++k) shares[k][i] = shares_[k].next();
      held_phase_ += hold[i];
      takes[i] = held_phase_ >= 1;
      if (takes[i]) held_phase_ -= std::floor(held_phase_);
    }
    const std::array<Values, 4> bent{shares[0], shares[1], shares[2], shares[3]};
    const auto dry = dry_copy_.block(0, block.frames());
    dry.copy_from(block);
    dry_.process(dry);
    float peak = 0;
    for (size_t c = 0; c < lanes_.size(); ++c) {
      Lane& lane = lanes_[c];
      const auto x = block.channel(static_cast<int>(c));
      for (const float v : x) peak = std::max(peak, std::abs(v));
      // Few bits and a low rate alias by design, so they work at the rate there is.
      std::array<float, Oversampler::most_frames> crushed{};
      for (size_t i = 0; i < n; ++i) {
        if (takes[i]) lane.held = x[i];
        const double driven = drive[i];
        crushed[i] = static_cast<float>(
            shares[few_bits][i] * quantised(driven * static_cast<double>(x[i]), levels[i]) +
            shares[low_rate][i] * driven * static_cast<double>(lane.held));
      }
      float* pointers[] = {crushed.data()};
      lane.beside.process(AudioBlock(pointers, 1, static_cast<int>(n)));
      Oversampler::Planes planes;
      lane.oversampler.up(x, planes);
      bend(lane, planes, n, drive, bent);
      lane.oversampler.down(planes, x);
      const auto d = dry.channel(static_cast<int>(c));
      for (size_t i = 0; i < n; ++i) {
        double y = static_cast<double>(x[i] + crushed[i]);
        // A curve that is not odd moves the mean.
        lane.mean += mean_k_ * (y - lane.mean);
        y -= lane.mean;
        lane.tone += tone[i] * (y - lane.tone);
        lane.tone2 += tone[i] * (lane.tone - lane.tone2);
        x[i] = static_cast<float>(static_cast<double>(d[i]) +
                                  mix[i] * (lane.tone2 - static_cast<double>(d[i])));
      }
    }
    if (n > 0) level_db_ = to_db(static_cast<double>(peak));
  }

  double rate_;
  int kind_;
  std::vector<Lane> lanes_;
  Delay dry_;
  AudioBuffer dry_copy_;
  double mean_k_, held_phase_ = 1, level_db_ = silence_db;
  Smoothed drive_, levels_, hold_, tone_, mix_;
  std::array<Smoothed, 6> shares_;
};

}  // namespace

const StepType& distortion_step() {
  static const StepType type{
      .id = "distortion",
      .label = "Distortion",
      .summary = "bends, clips, folds or crushes a sound",
      .family = Family::colour,
      .parameters = {choice_parameter("kind", "Kind",
                                      {{"soft", "soft"},
                                       {"hard", "hard"},
                                       {"fold", "folded"},
                                       {"rectify", "rectified"},
                                       {"bits", "fewer bits"},
                                       {"rate", "lower rate"}},
                                      soft, "How the wave is bent."),
                     {.id = "drive_db",
                      .label = "Drive",
                      .unit = "dB",
                      .least = 0,
                      .most = 40,
                      .standard = 18,
                      .help = "How far the sound is driven into the curve, in dB."},
                     {.id = "bits",
                      .label = "Bits",
                      .least = 2,
                      .most = 16,
                      .standard = 8,
                      .help = "How many bits are left, where they are fewer."},
                     {.id = "rate_hz",
                      .label = "Rate",
                      .unit = "Hz",
                      .least = 500,
                      .most = 24000,
                      .standard = 6000,
                      .scale = Scale::logarithmic,
                      .help = "Samples a second that are left, where the rate is lower.",
                      .paces = true},
                     {.id = "tone_hz",
                      .label = "Tone",
                      .unit = "Hz",
                      .least = 500,
                      .most = 20000,
                      .standard = 8000,
                      .scale = Scale::logarithmic,
                      .help = "What is higher becomes weaker behind the curve.",
                      .off_at = 20000},
                     mix_parameter(100),
                     level_parameter()},
      .starting_points =
          {{"Worn set",
            "a broadcast on a tired receiver",
            {{"kind", 1}, {"drive_db", 22}, {"tone_hz", 3500}, {"mix_pct", 70}}},
           {"Early computer", "few bits", {{"kind", 4}, {"bits", 5}, {"drive_db", 6}}},
           {"Toy", "a low rate", {{"kind", 5}, {"rate_hz", 4000}, {"drive_db", 0}}},
           {"Torn", "folded over and over", {{"kind", 2}, {"drive_db", 24}, {"mix_pct", 60}}},
           {"Growl", "warm and thick", {{"kind", 0}, {"drive_db", 26}, {"tone_hz", 2500}}}},
      .make = make_work<Distortion>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief =
          [](const Settings& s) {
            return s[kind] == few_bits   ? fmt::format("{:.0f} bits", s[bits])
                   : s[kind] == low_rate ? fmt::format("{:.1f} kHz", s[rate_hz] / 1000)
                                         : fmt::format("drive {:.0f} dB", s[drive_db]);
          },
      .picture = TransferSpec{.transfer_db = Distortion::transfer, .drive = drive_db},
  };
  return type;
}

}  // namespace drevan
