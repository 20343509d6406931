// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "audio/decibel.h"
#include "dsp/band_bank.h"
#include "dsp/carrier.h"
#include "dsp/envelope.h"
#include "dsp/sharp_sounds.h"
#include "dsp/steady_pitch.h"
#include "dsp/vocoder_bands.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"
#include "steps/voice/vocoder_parameters.h"

namespace drevan {

namespace {

constexpr double level_late_s = 0.007;  // by which following a level is late

using namespace vocoder;

BandPlan plan_of(const Settings& s) { return {s[low_hz], s[high_hz], static_cast<int>(s[bands])}; }

// How fast a level follows, a frame.
float follow_share(double ms, double rate) { return static_cast<float>(1 - one_pole(ms, rate)); }

class Vocoder final : public Processor {
 public:
  Vocoder(const Settings& s, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        plan_(plan_of(s)),
        side_(max_channels, format.max_block),
        steady_(format.rate) {
    double most = 0;
    for (int k = 0; k < plan_.count; ++k) most = std::max(most, BandBank::late(plan_, k, rate_));
    latency_ = static_cast<Samples>(std::lround(most + level_late_s * rate_));
    for (int k = 0; k < plan_.count; ++k)
      late_[static_cast<size_t>(k)] =
          static_cast<size_t>(std::lround(most - BandBank::late(plan_, k, rate_)));
    size_t size = 1;
    while (size < static_cast<size_t>(latency_) + 2 * chunk) size *= 2;
    for (int c = 0; c < format.channels; ++c) {
      Channel& channel = channels_.emplace_back(rate_);
      channel.past.resize(2 * size);
      channel.bands.set_voice(plan_, rate_);
    }
    if (const auto notes = chord_hz(s.texts.empty() ? std::string_view() : s.texts[0]))
      for (const double hz : *notes) chord_.emplace_back().prepare(rate_, hz);
    tone_.prepare(rate_, s[carrier_hz]);
    own_tone_.prepare(rate_, 120);
    for (int i = 0; i < carrier_count; ++i)
      weights_[static_cast<size_t>(i)].prepare(rate_, 20, s[carrier] == i ? 1 : 0);
    even_.prepare(rate_, 20, s[flatten_pct] / 100);
    sharp_.prepare(rate_, 20, part_gain(s[sharp_db]));
    carrier_loud_.prepare(rate_, 20, part_gain(s[carrier_db]));
    alone_.prepare(rate_, 20, s[hear] == carrier_alone ? 1 : 0);
    mix_.prepare(rate_, 20, s[mix_pct] / 100);
    shift_.prepare(rate_ / chunk, 20, s[shift_st]);
    aim_levels();
    reset();
  }

  void hear_side(int, const AudioBlock& block) noexcept override {
    side_.block(0, block.frames()).first(block.channels()).copy_from(block);
    side_channels_ = block.channels();
  }

  void process(const AudioBlock& block) noexcept override {
    const int side_channels = std::exchange(side_channels_, 0);
    for (int done = 0; done < block.frames();) {
      // To the next point of the grid, on which the shift moves.
      const auto beyond = static_cast<int>(((frame_ % chunk) + chunk) % chunk);
      const int n = std::min(chunk - beyond, block.frames() - done);
      if (beyond == 0) turn();
      speak_chunk(block.part(done, n), side_.block(done, n).first(std::max(1, side_channels)),
                  side_channels > 0);
      done += n;
    }
  }
  Samples latency() const noexcept override { return latency_; }
  Samples tail() const noexcept override {
    return static_cast<Samples>((0.1 + 10 * settings_[release_ms] / 1000) * rate_);
  }
  void reset() noexcept override {
    for (auto& c : channels_) c.reset();
    for (auto* s : {&even_, &sharp_, &carrier_loud_, &alone_, &mix_, &shift_}) s->jump(s->goal());
    for (auto& w : weights_) w.jump(w.goal());
    steady_.reset();
    at_ = channels_[0].past.size();
    shown_shift_ = 1e9;
    place(0);
  }
  void place(Samples frame) noexcept override {
    frame_ = frame;
    tone_.place(frame);
    own_tone_.place(frame);
    for (auto& n : chord_) n.place(frame);
    if (frame % chunk != 0) turn();
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == carrier)
      for (int i = 0; i < carrier_count; ++i)
        weights_[static_cast<size_t>(i)].set(value == i ? 1 : 0);
    if (parameter == carrier_hz) tone_.set(value);
    if (parameter == attack_ms || parameter == release_ms || parameter == carrier) aim_levels();
    if (parameter == shift_st) shift_.set(value);
    if (parameter == flatten_pct) even_.set(value / 100);
    if (parameter == sharp_db) sharp_.set(part_gain(value));
    if (parameter == carrier_db) carrier_loud_.set(part_gain(value));
    if (parameter == hear) alone_.set(value == carrier_alone ? 1 : 0);
    if (parameter == mix_pct) mix_.set(value / 100);
  }
  int readings(std::span<float> out) const noexcept override {
    const auto db = [](float x) {
      return static_cast<float>(to_db(static_cast<double>(x) + 1e-6));
    };
    for (size_t k = 0; k < static_cast<size_t>(plan_.count); ++k) {
      const float heard = channels_[0].bands.heard()[k], own = channels_[0].bands.own()[k];
      const float even = static_cast<float>(even_.value());
      out[k] = db(heard);
      out[static_cast<size_t>(plan_.count) + k] =
          db(heard * (own + even * (own / (own + 1e-4F) - own)));
    }
    return 2 * plan_.count;
  }

 private:
  static constexpr int chunk = VocoderBands::most_frames;
  struct Channel {
    explicit Channel(double rate) : sharp(rate) {}
    std::vector<float> past;  // each band hears it as late as makes all bands alike late
    VocoderBands bands;
    SharpSounds sharp;
    void reset() noexcept {
      std::ranges::fill(past, 0.0F);
      bands.reset();
      sharp.reset();
    }
  };

  // The carrier's bands are moved by the shift.
  void turn() noexcept {
    const double shift = shift_.next();
    if (shift == shown_shift_) return;
    shown_shift_ = shift;
    for (auto& c : channels_) c.bands.set_carrier(plan_, std::exp2(shift / 12), rate_);
  }
  void aim_levels() noexcept {
    // Noise is evened at every moment; tones keep the beat that makes their pitch.
    const double own_ms = static_cast<int>(settings_[carrier]) == noise ? 0.2 : 15;
    for (auto& c : channels_)
      c.bands.set_speed(follow_share(settings_[attack_ms], rate_),
                        follow_share(settings_[release_ms], rate_), follow_share(own_ms, rate_));
  }
  using Frames = std::array<float, chunk>;

  // Carriers that have no weight wait, and begin where they would be by the frame.
  // `noisy`: the share of the noise.
  void make_carrier(const AudioBlock& block, std::span<float> out, Frames& noisy) noexcept {
    std::ranges::fill(out, 0.0F);
    noisy = {};
    for (int which = 0; which < other_sound; ++which) {
      Smoothed& weight = weights_[static_cast<size_t>(which)];
      if (weight.value() == 0 && weight.goal() == 0) continue;
      if (weight.value() == 0) begin(which);
      Frames share;  // NOLINT
      weight.next(std::span(share).first(out.size()));
      for (size_t i = 0; i < out.size(); ++i) {
        if (which == own_pitch) own_tone_.set(steady_.hear(sum_of_channels(block, i)));
        out[i] += share[i] * sound_of(which, frame_ + static_cast<Samples>(i));
      }
      if (which == noise) std::copy_n(share.begin(), out.size(), noisy.begin());
    }
  }
  static float sum_of_channels(const AudioBlock& block, size_t i) noexcept {
    float sum = 0;
    for (int c = 0; c < block.channels(); ++c) sum += block.channel(c)[i];
    return sum;
  }
  void begin(int which) noexcept {
    if (which == saw || which == pulse) tone_.place(frame_);
    if (which == chord)
      for (auto& n : chord_) n.place(frame_);
    if (which == own_pitch) own_tone_.place(frame_);
  }
  float sound_of(int which, Samples frame) noexcept {
    if (which == noise) return frame_noise(frame, 0);
    if (which == saw) return tone_.saw();
    if (which == pulse) return tone_.pulse();
    if (which == own_pitch) return own_tone_.saw();
    float sum = 0;
    for (auto& n : chord_) sum += n.saw();
    return chord_.empty() ? 0 : sum / std::sqrt(static_cast<float>(chord_.size()));
  }
  // `side`: the other sound, where there is one; noise takes its place.
  void speak_chunk(const AudioBlock& block, const AudioBlock& side, bool has_side) noexcept {
    const auto n = static_cast<size_t>(block.frames());
    Frames inner, other, even, noisy, mix, sharp, loud, alone;  // NOLINT
    make_carrier(block, std::span(inner).first(n), noisy);
    for (auto [to, from] : {std::pair{&other, &weights_[other_sound]},
                            {&even, &even_},
                            {&mix, &mix_},
                            {&sharp, &sharp_},
                            {&loud, &carrier_loud_},
                            {&alone, &alone_}})
      from->next(std::span(*to).first(n));
    for (size_t i = 0; i < n; ++i) noisy[i] *= even[i];
    frame_ += static_cast<Samples>(n);
    for (size_t c = 0; c < channels_.size(); ++c) {
      Channel& channel = channels_[c];
      const auto x = block.channel(static_cast<int>(c));
      const auto beside = side.channel(std::min(static_cast<int>(c), side.channels() - 1));
      Frames sound{}, wet{};
      for (size_t i = 0; i < n; ++i) {
        sound[i] = inner[i];
        if (other[i] > 0)
          sound[i] += other[i] *
                      (has_side ? beside[i] : frame_noise(frame_ - static_cast<Samples>(n - i), 1));
      }
      speak_with(channel, x, std::span(sound).first(n), std::span(even).first(n),
                 std::span(noisy).first(n), std::span(wet).first(n));
      const size_t mask = channel.past.size() / 2 - 1;
      const float* dry = channel.past.data() + ((at_ - static_cast<size_t>(latency_)) & mask);
      if (sharp[0] > 0 || sharp[n - 1] > 0)
        for (size_t i = 0; i < n; ++i)
          wet[i] +=
              sharp[i] * static_cast<float>(channel.sharp.process(static_cast<double>(dry[i])));
      for (size_t i = 0; i < n; ++i) {
        float out = wet[i] + loud[i] * sound[i];
        out += alone[i] * (0.3F * sound[i] - out);
        x[i] = dry[i] + mix[i] * (out - dry[i]);
      }
    }
    at_ += n;
  }
  void speak_with(Channel& c, std::span<const float> x, std::span<const float> sound,
                  std::span<const float> even, std::span<const float> low_noise,
                  std::span<float> wet) noexcept {
    const size_t mask = c.past.size() / 2 - 1, n = x.size();
    // Twice, so that what any band hears lies in one piece.
    for (size_t i = 0; i < n; ++i)
      c.past[(at_ + i) & mask] = c.past[((at_ + i) & mask) + mask + 1] = x[i];
    std::array<const float*, BandBank::most> voice;  // NOLINT
    const auto count = static_cast<size_t>(plan_.count);
    for (size_t k = 0; k < count; ++k) voice[k] = c.past.data() + ((at_ - late_[k]) & mask);
    c.bands.speak({.voice = std::span(voice).first(count),
                   .carrier = sound,
                   .even = even,
                   .low_noise = low_noise},
                  wet);
  }

  Settings settings_;
  double rate_;
  BandPlan plan_;
  Samples latency_ = 0, frame_ = 0;
  std::array<size_t, BandBank::most> late_{};
  std::vector<Channel> channels_;
  size_t at_ = 0;
  AudioBuffer side_;
  int side_channels_ = 0;
  CarrierTone tone_, own_tone_;
  std::vector<CarrierTone> chord_;
  SteadyPitch steady_;
  std::array<Smoothed, carrier_count> weights_;
  Smoothed even_, sharp_, carrier_loud_, alone_, mix_, shift_;
  double shown_shift_ = 1e9;
};

double centre_hz(const Settings& s, int band) { return plan_of(s).centre_hz(band); }

std::string brief(const Settings& s) {
  static constexpr std::string_view names[] = {"noise", "saw",       "pulses",
                                               "chord", "own pitch", "sound"};
  return fmt::format("{} bands, {}", s[bands], names[static_cast<size_t>(s[carrier])]);
}

}  // namespace

const StepType& vocoder_step() {
  static const StepType type{
      .id = "vocoder",
      .label = "Vocoder",
      .summary = "makes noise, tones or another sound speak",
      .family = Family::voice,
      .parameters = vocoder::parameters(),
      .texts = {{.id = "chord",
                 .label = "Chord",
                 .help = "Notes of the chord, as A2 C#3 E3.",
                 .standard = "A2 C#3 E3 A3",
                 .fault = chord_fault}},
      .starting_points =
          {{"Machine on noise", "no pitch at all", {{"carrier", noise}}},
           {"Robot",
            "one pitch, hard",
            {{"carrier", saw}, {"carrier_hz", 110}, {"bands", 20}, {"sharp_db", -12}}},
           {"Chord of voices",
            "one speaker, a choir",
            {{"carrier", chord}, {"bands", 32}, {"release_ms", 40}, {"sharp_db", -10}}},
           {"Steady",
            "the voice's own pitch, without its melody",
            {{"carrier", own_pitch}, {"bands", 40}, {"high_hz", 10000}, {"sharp_db", -8}}},
           {"Another sound speaks",
            "wind, an engine, music: choose it as carrier",
            {{"carrier", other_sound}, {"bands", 28}, {"sharp_db", -18}}}},
      .make = make_work<Vocoder>,
      .sides = {{"carrier", "Carrier",
                 "The sound that speaks, where the carrier is another sound."}},
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = brief,
      .picture = VocoderSpec{.lowest = low_hz,
                             .highest = high_hz,
                             .bands = bands,
                             .shift = shift_st,
                             .carrier_hz = carrier_hz,
                             .centre_hz = centre_hz},
      .revision = 2,
      .run_in_s = 2,
  };
  return type;
}

}  // namespace drevan
