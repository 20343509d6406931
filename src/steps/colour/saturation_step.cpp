// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/clones.h"
#include "dsp/delay.h"
#include "dsp/oversampler.h"
#include "dsp/smoothed.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { drive_db, even_pct, output_db, mix_pct };

constexpr double most_bias = 0.7;
// The level that the drive leaves where it is, so that more drive is not just louder.
const double kept = from_db(-12.0);
// The bias of the curve also moves the mean; this far below hearing it is taken out again.
constexpr double mean_hz = 2;

// Hyperbolic tangent by Lambert's continued fraction, cut after its seventh level: error below 1e-4,
// and below 1e-7 of the value where x is small. Smooth, which is what keeps aliases away.
template <class T>
T bend(T x) noexcept {
  const T y = std::min(std::max(x, T(-4.97)), T(4.97));
  const T s = y * y;
  return y * (T(135135) + s * (T(17325) + s * (T(378) + s))) /
         (T(135135) + s * (T(62370) + s * (T(3150) + s * T(28))));
}

DREVAN_CLONES void shape(float* __restrict x, size_t n, const float* __restrict drive,
                         const float* __restrict bias, const float* __restrict gain) noexcept {
  for (size_t i = 0; i < n; ++i) x[i] = gain[i] * (bend(drive[i] * x[i] + bias[i]) - bend(bias[i]));
}

struct Curve {
  double drive, bias, gain;
  double at(double x) const { return gain * (bend(drive * x + bias) - bend(bias)); }
  /// Half the distance between the crests of a tone of amplitude `a`.
  double swing(double a) const { return (at(a) - at(-a)) / 2; }
};

Curve curve_of(const Settings& s) {
  Curve c{from_db(s[drive_db]), most_bias * s[even_pct] / 100, 1};
  c.gain = kept / c.swing(kept) * from_db(s[output_db]);
  return c;
}

class Saturation final : public Processor {
 public:
  Saturation(const Settings& s, StreamFormat format)
      : settings_(s),
        lanes_(static_cast<size_t>(format.channels)),
        dry_(format.channels, Oversampler::latency()),
        dry_copy_(format.channels, Oversampler::most_frames),
        mean_k_(1 - std::exp(-2 * 3.14159265358979 * mean_hz / format.rate)),
        tail_(static_cast<Samples>(1.5 / mean_hz * format.rate) + Oversampler::latency()) {
    const Curve c = curve_of(s);
    drive_.prepare(format.rate, 5, c.drive);
    bias_.prepare(format.rate, 5, c.bias);
    gain_.prepare(format.rate, 5, c.gain);
    mix_.prepare(format.rate, 5, s[mix_pct] / 100);
  }

  void process(const AudioBlock& block) noexcept override {
    for (int done = 0; done < block.frames();) {
      const int n = std::min(block.frames() - done, Oversampler::most_frames);
      saturate(block.part(done, n));
      done += n;
    }
  }
  Samples latency() const noexcept override { return Oversampler::latency(); }
  Samples tail() const noexcept override { return tail_; }
  void reset() noexcept override {
    for (auto& l : lanes_) {
      l.oversampler.reset();
      l.mean = 0;
    }
    dry_.reset();
    for (Smoothed* s : {&drive_, &bias_, &gain_, &mix_}) s->jump(s->goal());
    level_db_ = silence_db;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    const Curve c = curve_of(settings_);
    drive_.set(c.drive);
    bias_.set(c.bias);
    gain_.set(c.gain);
    mix_.set(settings_[mix_pct] / 100);
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_db_);
    out[1] = static_cast<float>(level_db_ > -100 ? level_db_ - transfer(settings_, level_db_) : 0);
    return 2;
  }

  static double transfer(const Settings& s, double in_db) {
    const double a = from_db(in_db), mix = s[mix_pct] / 100;
    return to_db(mix * curve_of(s).swing(a) + (1 - mix) * a);
  }

 private:
  struct Lane {
    Oversampler oversampler;
    double mean = 0;
  };
  using Values = std::array<float, Oversampler::most_frames>;

  void saturate(const AudioBlock& block) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Values drive, bias, gain, mix;
    for (auto [to, from] :
         {std::pair{&drive, &drive_}, {&bias, &bias_}, {&gain, &gain_}, {&mix, &mix_}})
      from->next(std::span(*to).first(n));
    const auto dry = dry_copy_.block(0, block.frames());
    dry.copy_from(block);
    dry_.process(dry);
    float peak = 0;
    for (size_t c = 0; c < lanes_.size(); ++c) {
      const auto x = block.channel(static_cast<int>(c));
      for (const float v : x) peak = std::max(peak, std::abs(v));
      Oversampler::Planes planes;
      lanes_[c].oversampler.up(x, planes);
      for (auto& p : planes) shape(p.data(), n, drive.data(), bias.data(), gain.data());
      lanes_[c].oversampler.down(planes, x);
      double mean = lanes_[c].mean;
      const auto d = dry.channel(static_cast<int>(c));
      for (size_t i = 0; i < n; ++i) {
        mean += mean_k_ * (static_cast<double>(x[i]) - mean);
        x[i] = d[i] + mix[i] * (static_cast<float>(static_cast<double>(x[i]) - mean) - d[i]);
      }
      lanes_[c].mean = mean;
    }
    if (n > 0) level_db_ = to_db(static_cast<double>(peak));
  }

  Settings settings_;
  std::vector<Lane> lanes_;
  Delay dry_;
  AudioBuffer dry_copy_;
  Smoothed drive_, bias_, gain_, mix_;
  double mean_k_;
  Samples tail_;
  double level_db_ = silence_db;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Saturation>(s, format);
}

std::string brief(const Settings& s) { return fmt::format("drive {:.0f} dB", s[drive_db]); }

}  // namespace

const StepType& saturation_step() {
  static const StepType type{
      .id = "saturation",
      .label = "Saturation",
      .summary = "rounds peaks and adds warmth",
      .family = Family::colour,
      .parameters = {{.id = "drive_db",
                      .label = "Drive",
                      .unit = "dB",
                      .least = 0,
                      .most = 18,
                      .standard = 6,
                      .help = "How far the sound is driven into the curve, in dB. A level of -12 "
                              "dBFS stays where it is."},
                     {.id = "even_pct",
                      .label = "Warmth",
                      .unit = "%",
                      .least = 0,
                      .most = 100,
                      .standard = 0,
                      .help = "How lopsided the curve is: 0 adds odd harmonics only, more adds the "
                              "even, warmer ones."},
                     {.id = "output_db",
                      .label = "Output",
                      .unit = "dB",
                      .least = -12,
                      .most = 12,
                      .standard = 0,
                      .help = "Gain after the curve, in dB."},
                     {.id = "mix_pct",
                      .label = "Mix",
                      .unit = "%",
                      .least = 0,
                      .most = 100,
                      .standard = 100,
                      .help = "How much of the saturated sound is heard; the rest is untouched."}},
      .starting_points = {{"Warm narrator",
                           "a little body for a thin voice",
                           {{"drive_db", 8}, {"even_pct", 60}, {"mix_pct", 60}}},
                          {"Rounded peaks",
                           "takes the tips off before a limiter",
                           {{"drive_db", 5}}},
                          {"Small loudspeaker",
                           "an overdriven set on a shelf",
                           {{"drive_db", 17}, {"even_pct", 25}}}},
      .make = make,
      .traits = {.bends_tone = true, .tells = Tells::reduction, .only_once = true},
      .brief = brief,
      .picture = TransferSpec{.transfer_db = Saturation::transfer, .drive = drive_db},
      .revision = 2,
  };
  return type;
}

}  // namespace drevan
