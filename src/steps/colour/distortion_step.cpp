// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/bend.h"
#include "dsp/delay.h"
#include "dsp/oversampler.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { kind, drive_db, bits, rate_hz, tone_hz, mix_pct, level };
// The first four in the order of Bend.
constexpr int soft = 0, rectify = 3, few_bits = 4, low_rate = 5;

constexpr double pi = std::numbers::pi;
constexpr double mean_hz = 5;

float peak_of(std::span<const float> x) noexcept {
  std::array<float, 8> peaks{};  // beside each other, so that none waits for the last
  size_t i = 0;
  for (; i + 8 <= x.size(); i += 8)
    for (size_t lane = 0; lane < 8; ++lane)
      peaks[lane] = std::max(peaks[lane], std::abs(x[i + lane]));
  for (; i < x.size(); ++i) peaks[0] = std::max(peaks[0], std::abs(x[i]));
  return *std::ranges::max_element(peaks);
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
      work(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return Oversampler::latency(); }
  Samples tail() const noexcept override {
    return static_cast<Samples>(1.5 / mean_hz * rate_) + Oversampler::latency();
  }
  void reset() noexcept override {
    for (auto& l : lanes_) l.reset();
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
                                     : bent(static_cast<Bend>(k), driven);
    return to_db(std::max(1e-6, std::abs(mix * y + (1 - mix) * x)));
  }

 private:
  using Values = std::array<float, Oversampler::most_frames>;
  struct Part {
    size_t n;
    Values drive, levels, tone, mix;
    std::array<Values, 6> shares;
    std::array<bool, 6> heard;  // whether a kind has any share
    std::array<bool, Oversampler::most_frames> takes;
  };
  struct Lane {
    Oversampler oversampler;
    float last = 0;                        // of the driven, oversampled sound
    double tone = 0, tone2 = 0, mean = 0;  // filters
    float held = 0;
    Delay beside{1, Oversampler::latency()};  // for what is not oversampled
    void reset() noexcept {
      oversampler.reset();
      beside.reset();
      last = held = 0;
      tone = tone2 = mean = 0;
    }
  };

  double tone_k(double hz) const { return hz >= 20000 ? 1 : 1 - std::exp(-2 * pi * hz / rate_); }

  // Bent at eight times the rate; the shares of two kinds while it goes from one to the other.
  void bend(Lane& lane, Oversampler::Planes& planes, const Part& part) noexcept {
    // Driven, each plane behind the sample before its first.
    std::array<std::array<float, Oversampler::most_frames + 1>, Oversampler::factor> driven;
    for (size_t p = 0; p < planes.size(); ++p)
      for (size_t i = 0; i < part.n; ++i) driven[p][i + 1] = part.drive[i] * planes[p][i];
    driven.back()[0] = lane.last;
    lane.last = driven.back()[part.n];
    for (size_t p = 0; p < planes.size(); ++p) {
      std::fill_n(planes[p].begin(), part.n, 0.0F);
      const float* before = p == 0 ? driven.back().data() : driven[p - 1].data() + 1;
      for (size_t k = soft; k <= rectify; ++k)
        if (part.heard[k])
          add_bent(static_cast<Bend>(k), before, driven[p].data() + 1, part.shares[k].data(),
                   planes[p].data(), part.n);
    }
  }
  // Few bits and a low rate alias by design, so they work at the rate there is.
  static void crush(Lane& lane, std::span<const float> x, const Part& part, Values& out) noexcept {
    if (!part.heard[few_bits] && !part.heard[low_rate]) return;
    for (size_t i = 0; i < part.n; ++i) {
      const float driven = part.drive[i];
      if (part.heard[few_bits])
        out[i] += part.shares[few_bits][i] *
                  static_cast<float>(quantised(static_cast<double>(driven * x[i]),
                                               static_cast<double>(part.levels[i])));
      if (!part.heard[low_rate]) continue;
      if (part.takes[i]) lane.held = x[i];
      out[i] += part.shares[low_rate][i] * driven * lane.held;
    }
  }
  void prepare(Part& part) noexcept {
    const auto fill = [&part](Smoothed& from, Values& to) {
      from.next(std::span(to).first(part.n));
    };
    fill(drive_, part.drive);
    fill(levels_, part.levels);
    fill(tone_, part.tone);
    fill(mix_, part.mix);
    for (size_t k = 0; k < shares_.size(); ++k) {
      part.heard[k] = shares_[k].moving() || shares_[k].value() > 0;
      fill(shares_[k], part.shares[k]);
    }
    std::array<double, Oversampler::most_frames> hold;  // NOLINT
    hold_.next(std::span(hold).first(part.n));
    // A rate that is not heard begins anew when it is.
    if (!part.heard[low_rate]) held_phase_ = 1;
    for (size_t i = 0; part.heard[low_rate] && i < part.n; ++i) {
      held_phase_ += hold[i];
      part.takes[i] = held_phase_ >= 1;
      if (part.takes[i]) held_phase_ -= std::floor(held_phase_);
    }
  }

  void work(const AudioBlock& block) noexcept {
    Part part;  // NOLINT: filled as far as it is read
    part.n = static_cast<size_t>(block.frames());
    prepare(part);
    const auto dry = dry_copy_.block(0, block.frames());
    dry.copy_from(block);
    dry_.process(dry);
    float peak = 0;
    for (size_t c = 0; c < lanes_.size(); ++c) {
      Lane& lane = lanes_[c];
      const auto x = block.channel(static_cast<int>(c));
      peak = std::max(peak, peak_of(x));
      Values crushed{};
      crush(lane, x, part, crushed);
      float* pointers[] = {crushed.data()};
      lane.beside.process(AudioBlock(pointers, 1, block.frames()));
      Oversampler::Planes planes;
      lane.oversampler.up(x, planes);
      bend(lane, planes, part);
      lane.oversampler.down(planes, x);
      const auto d = dry.channel(static_cast<int>(c));
      for (size_t i = 0; i < part.n; ++i) {
        double y = static_cast<double>(x[i] + crushed[i]);
        // A curve that is not odd moves the mean.
        lane.mean += mean_k_ * (y - lane.mean);
        y -= lane.mean;
        const auto tone = static_cast<double>(part.tone[i]);
        lane.tone += tone * (y - lane.tone);
        lane.tone2 += tone * (lane.tone - lane.tone2);
        x[i] = d[i] + part.mix[i] * (static_cast<float>(lane.tone2) - d[i]);
      }
    }
    if (part.n > 0) level_db_ = to_db(static_cast<double>(peak));
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
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
