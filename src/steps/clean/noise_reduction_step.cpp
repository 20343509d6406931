// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "dsp/noise_reducer.h"
#include "dsp/stft.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { depth_db, lift_db };

// About 53 ms: long enough to part the harmonics of a low voice, short enough for its consonants.
// The nearest length that transforms quickly: 2, 3 and 5 are its only factors.
int window_size(double rate) {
  const double wanted = 0.0533 * rate;
  int best = 512;
  for (int scale = 16; scale <= 4096; scale *= 2)
    for (const int m : {8, 9, 10, 12, 15})
      if (std::abs(m * scale - wanted) < std::abs(best - wanted)) best = m * scale;
  return best;
}
constexpr int overlap = 4;

// The finding is the room tone's profile, channel after channel: mean power per bin, then spread
// per band.
class RoomTone final : public Learner {
 public:
  explicit RoomTone(StreamFormat format) : scratch_(1, format.max_block) {
    const int size = window_size(format.rate);
    for (int c = 0; c < format.channels; ++c) {
      stfts_.emplace_back(size, overlap, Taper::hann);
      profilers_.emplace_back(size / 2 + 1, format.rate / size);
    }
    power_.resize(static_cast<size_t>(size / 2 + 1));
    heard_.assign(stfts_.size(), 0);
  }

  void hear(const AudioBlock& block) override {
    for (size_t c = 0; c < stfts_.size(); ++c) {
      const auto copy = scratch_.channel(0).first(static_cast<size_t>(block.frames()));
      std::ranges::copy(block.channel(static_cast<int>(c)), copy.begin());
      stfts_[c].process(copy, [&](std::span<std::complex<float>> bins) {
        if (++heard_[c] < overlap) return;  // the first windows reach back before the range
        for (size_t k = 0; k < bins.size(); ++k) power_[k] = std::norm(bins[k]);
        profilers_[c].hear(power_);
      });
    }
  }

  Findings findings() const override {
    Findings out;
    for (const auto& profiler : profilers_) {
      const NoiseProfile profile = profiler.profile();
      if (profile.power.empty()) return {};
      out.values.insert(out.values.end(), profile.power.begin(), profile.power.end());
      out.values.insert(out.values.end(), profile.spread.begin(), profile.spread.end());
    }
    return out;
  }

 private:
  AudioBuffer scratch_;
  std::vector<Stft> stfts_;
  std::vector<NoiseProfiler> profilers_;
  FloatVector power_;
  std::vector<int> heard_;
};

class NoiseReduction final : public Processor {
 public:
  NoiseReduction(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s), bin_hz_(format.rate / window_size(format.rate)) {
    const int size = window_size(format.rate);
    for (int c = 0; c < format.channels; ++c) {
      stfts_.emplace_back(size, overlap, Taper::hann, NoiseReducer::delay());
      reducers_.emplace_back(NoiseReducer::Setup{
          .bins = size / 2 + 1, .bin_hz = bin_hz_, .hop_s = size / overlap / format.rate});
    }
    profile_size_ = static_cast<size_t>(size / 2 + 1) + reducers_[0].bands();
    noise_.resize(profile_size_ * reducers_.size());
    take(found);
  }

  void process(const AudioBlock& block) noexcept override {
    for (size_t c = 0; c < stfts_.size(); ++c)
      stfts_[c].process(
          block.channel(static_cast<int>(c)),
          [&](std::span<std::complex<float>> bins) { return reducers_[c].process(bins); });
  }
  Samples latency() const noexcept override {
    return stfts_[0].latency() + NoiseReducer::delay() * stfts_[0].hop();
  }
  void reset() noexcept override {
    for (auto& s : stfts_) s.reset();
    for (auto& r : reducers_) r.reset();
  }
  void set(int parameter, double value) noexcept override {
    // A gain per window, overlapped four times, is smooth by itself.
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == depth_db)
      set_depth();
    else
      apply();
  }
  void set_findings(const Findings& found) noexcept override { take(found); }

  int readings(std::span<float> out) const noexcept override {
    const auto n = std::min<size_t>(out.size(), 64);
    const auto gains = reducers_[0].gains();
    for (size_t i = 0; i < n; ++i) {
      const auto k = static_cast<size_t>(std::lround(band_hz(static_cast<int>(i)) / bin_hz_));
      out[i] = k < gains.size() ? 20.0F * std::log10(std::max(gains[k], 1e-6F)) : 0.0F;
    }
    return static_cast<int>(n);
  }

 private:
  void take(const Findings& found) noexcept {
    learned_ = found.values.size() == noise_.size();
    if (learned_) std::ranges::copy(found.values, noise_.begin());
    apply();
  }
  void set_depth() noexcept {
    for (auto& r : reducers_) r.set_floor_db(-settings_[depth_db]);
  }
  // Another noise: what is on its way is looked at again.
  void apply() noexcept {
    set_depth();
    const auto lift = static_cast<float>(std::pow(10.0, settings_[lift_db] / 10));
    const size_t bins = profile_size_ - reducers_[0].bands();
    for (size_t c = 0; c < reducers_.size(); ++c) {
      const auto profile = std::span<const float>(noise_).subspan(c * profile_size_, profile_size_);
      if (learned_)
        reducers_[c].set_noise(profile.first(bins), profile.subspan(bins), lift);
      else
        reducers_[c].clear_noise();
    }
  }

  Settings settings_;
  double bin_hz_;
  std::vector<Stft> stfts_;
  std::vector<NoiseReducer> reducers_;
  size_t profile_size_ = 0;
  FloatVector noise_;
  bool learned_ = false;
};

std::unique_ptr<Learner> learn(const Settings&, StreamFormat format) {
  return std::make_unique<RoomTone>(format);
}

std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<NoiseReduction>(s, found, format);
}

std::span<const float> learned_power(const Findings& found, StreamFormat format) {
  const auto bins = static_cast<size_t>(window_size(format.rate) / 2 + 1);
  return std::span(found.values).first(std::min(bins, found.values.size()));
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
      .traits = {.role = Role::noise_reduction, .only_once = true},
      .brief = brief,
      .picture = ReductionSpec{.learned_power = learned_power, .depth = depth_db},
  };
  return type;
}

}  // namespace drevan
