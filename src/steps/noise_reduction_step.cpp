#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/noise_gain.h"
#include "dsp/stft.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { depth_db, lift_db };

// About 43 ms: long enough to part the harmonics of a low voice, short enough for its consonants.
int window_size(double rate) {
  return 1 << static_cast<int>(std::lround(std::log2(0.0427 * rate)));
}
constexpr int overlap = 4;

// The finding is the room tone's mean power per bin, channel after channel, each bins() long.
class RoomTone final : public Learner {
 public:
  explicit RoomTone(StreamFormat format) : scratch_(1, format.max_block) {
    const int size = window_size(format.rate);
    for (int c = 0; c < format.channels; ++c) stfts_.emplace_back(size, overlap);
    skip_ = overlap - 1;
    bins_ = stfts_[0].bins();
    sums_.assign(static_cast<size_t>(format.channels * bins_), 0.0);
    frames_.assign(stfts_.size(), 0);
  }

  void hear(const AudioBlock& block) override {
    for (size_t c = 0; c < stfts_.size(); ++c) {
      const auto copy = scratch_.channel(0).first(static_cast<size_t>(block.frames()));
      std::ranges::copy(block.channel(static_cast<int>(c)), copy.begin());
      stfts_[c].process(copy, [&](std::span<std::complex<float>> bins) {
        if (frames_[c]++ < skip_) return;  // the first windows reach back before the range
        double* sum = sums_.data() + c * static_cast<size_t>(bins_);
        for (size_t k = 0; k < bins.size(); ++k) sum[k] += static_cast<double>(std::norm(bins[k]));
      });
    }
  }

  Findings findings() const override {
    const long windows = frames_[0] - skip_;
    if (windows < 1) return {};
    Findings out;
    out.values.resize(sums_.size());
    double total = 0;
    for (size_t c = 0; c < stfts_.size(); ++c) smooth(c, static_cast<double>(windows), out);
    for (const double s : sums_) total += s;
    return total > 0 ? out : Findings{};
  }

 private:
  // Three bins together steady a short room tone without widening a hum's lines much.
  void smooth(size_t channel, double windows, Findings& out) const {
    const auto n = static_cast<size_t>(bins_);
    const double* sum = sums_.data() + channel * n;
    for (size_t k = 0; k < n; ++k) {
      const double left = sum[k == 0 ? 0 : k - 1];
      const double right = sum[k + 1 == n ? k : k + 1];
      out.values[channel * n + k] =
          static_cast<float>((0.25 * left + 0.5 * sum[k] + 0.25 * right) / windows);
    }
  }

  AudioBuffer scratch_;
  std::vector<Stft> stfts_;
  long skip_ = 0;
  int bins_ = 0;
  std::vector<double> sums_;
  std::vector<long> frames_;
};

class NoiseReduction final : public Processor {
 public:
  NoiseReduction(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s), bin_hz_(format.rate / window_size(format.rate)) {
    const int size = window_size(format.rate);
    for (int c = 0; c < format.channels; ++c) {
      stfts_.emplace_back(size, overlap);
      estimators_.emplace_back(NoiseGain::Setup{
          .bins = size / 2 + 1, .bin_hz = bin_hz_, .hop_s = size / overlap / format.rate});
    }
    power_.resize(static_cast<size_t>(size / 2 + 1));
    gain_.assign(static_cast<size_t>(size / 2 + 1), 1.0F);
    noise_.resize(power_.size() * stfts_.size());
    take(found);
  }

  void process(const AudioBlock& block) noexcept override {
    for (size_t c = 0; c < stfts_.size(); ++c)
      stfts_[c].process(block.channel(static_cast<int>(c)),
                        [&](std::span<std::complex<float>> bins) { reduce(c, bins); });
  }
  Samples latency() const noexcept override { return stfts_[0].latency(); }
  void reset() noexcept override {
    for (auto& s : stfts_) s.reset();
    for (auto& e : estimators_) e.reset();
    std::ranges::fill(gain_, 1.0F);
  }
  void set(int parameter, double value) noexcept override {
    // A gain per window, overlapped four times, is smooth by itself.
    settings_.values[static_cast<size_t>(parameter)] = value;
    apply();
  }
  void set_findings(const Findings& found) noexcept override { take(found); }

  int readings(std::span<float> out) const noexcept override {
    const auto n = std::min<size_t>(out.size(), max_readings);
    for (size_t i = 0; i < n; ++i) {
      const auto k = static_cast<size_t>(std::lround(band_hz(static_cast<int>(i)) / bin_hz_));
      out[i] = k < gain_.size() ? 6.0206F * fast_db(gain_[k]) : 0.0F;
    }
    return static_cast<int>(n);
  }

 private:
  static float fast_db(float gain) noexcept { return std::log2(std::max(gain, 1e-6F)); }

  void take(const Findings& found) noexcept {
    learned_ = found.values.size() == noise_.size();
    if (learned_) std::ranges::copy(found.values, noise_.begin());
    apply();
  }
  void apply() noexcept {
    const auto lift = static_cast<float>(std::pow(10.0, settings_[lift_db] / 10));
    for (size_t c = 0; c < estimators_.size(); ++c) {
      estimators_[c].set_floor_db(-settings_[depth_db]);
      if (!learned_) continue;
      for (size_t k = 0; k < power_.size(); ++k) power_[k] = noise_[c * power_.size() + k] * lift;
      estimators_[c].set_noise(power_);
    }
  }
  void reduce(size_t c, std::span<std::complex<float>> bins) noexcept {
    if (!learned_) return;
    for (size_t k = 0; k < bins.size(); ++k) {
      const float re = bins[k].real(), im = bins[k].imag();
      power_[k] = re * re + im * im;
    }
    estimators_[c].gains(power_, gain_);
    for (size_t k = 0; k < bins.size(); ++k) bins[k] *= gain_[k];
  }

  Settings settings_;
  double bin_hz_;
  std::vector<Stft> stfts_;
  std::vector<NoiseGain> estimators_;
  FloatVector power_, gain_, noise_;
  bool learned_ = false;
};

std::unique_ptr<Learner> learn(const Settings&, StreamFormat format) {
  return std::make_unique<RoomTone>(format);
}

std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<NoiseReduction>(s, found, format);
}

std::string brief(const Settings& s) { return fmt::format("{:.0f} dB", s[depth_db]); }

}  // namespace

const StepType& noise_reduction_step() {
  static const StepType type{
      .id = "noise-reduction",
      .label = "Noise reduction",
      .summary = "takes out the noise that the room tone holds",
      .family = Family::clean,
      .parameters = {{.id = "depth_db",
                      .label = "Depth",
                      .unit = "dB",
                      .least = 0,
                      .most = 40,
                      .standard = 12,
                      .help = "How far the noise is lowered, in dB. 6 to 12 sounds natural; more "
                              "soon sounds harsh."},
                     {.id = "lift_db",
                      .label = "Noise lift",
                      .unit = "dB",
                      .least = -6,
                      .most = 6,
                      .standard = 0,
                      .help = "Takes the noise to be this much louder than the room tone, in dB. "
                              "Above 0 cleans more and costs more of the voice."}},
      .starting_points = {{"Room, gentle", "a quiet room behind a near voice", {{"depth_db", 6}}},
                          {"Hiss or fan", "a steady noise that disturbs", {{"depth_db", 12}}},
                          {"Rescue",
                           "only where nothing else can be had",
                           {{"depth_db", 20}, {"lift_db", 1.5}}}},
      .hears = Hears::room_tone,
      .learn = learn,
      .make = make,
      .brief = brief,
      .picture = Picture::reduction,
  };
  return type;
}

}  // namespace drevan
