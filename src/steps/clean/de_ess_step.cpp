// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "dsp/biquad.h"
#include "dsp/delay.h"
#include "dsp/envelope.h"
#include "dsp/fast_math.h"
#include "dsp/sibilance.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { mode, line_db, most_db, band_hz, attack_ms, release_ms };
enum Mode : int { split_band, whole_band };

// The finding is one value: the level of the clip's voice.
class VoiceLearner final : public Learner {
 public:
  explicit VoiceLearner(StreamFormat format) : ear_(format) {}
  void hear(const AudioBlock& block) override {
    ear_.hear(block, [&](int, const SibilanceEar::Tick& t) { level_.hear(t.voice_db); });
  }
  Findings findings() const override {
    const auto db = level_.level_db();
    return db ? Findings{{static_cast<float>(*db)}} : Findings{};
  }

 private:
  SibilanceEar ear_;
  VoiceLevel level_;
};

class DeEss final : public Processor {
 public:
  DeEss(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s),
        rate_(format.rate),
        ear_(format),
        delay_(format.channels, (SibilanceFinder::delay() + 2) * ear_.tick_frames()),
        bands_(static_cast<size_t>(format.channels)) {
    take(found);
    apply();
  }

  void process(const AudioBlock& block) noexcept override {
    if (!known_) return delay_.process(block);
    int from = 0;
    // The ear hears what comes in, the gain meets it when it goes out.
    AudioBlock rest = block;
    ear_.hear(block, [&](int offset, const SibilanceEar::Tick& tick) {
      cut(rest.part(from, offset + 1 - from));
      from = offset + 1;
      decide(tick);
    });
    cut(rest.part(from, block.frames() - from));
  }
  Samples latency() const noexcept override { return delay_.frames(); }
  void reset() noexcept override {
    ear_.reset();
    finder_.reset();
    delay_.reset();
    gain_.reset();
    for (auto& b : bands_) b.reset();
    wanted_ = reduced_ = 0;
    past_.fill(-100);
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    apply();
  }
  void set_findings(const Findings& found) noexcept override { take(found); }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(past_[0] - voice_db_);
    out[1] = static_cast<float>(reduced_);
    out[2] = static_cast<float>(settings_[line_db]);
    return 3;
  }

 private:
  static constexpr int chunk = 256;
  static constexpr size_t ticks = static_cast<size_t>(SibilanceFinder::delay()) + 1;

  void take(const Findings& found) noexcept {
    known_ = !found.empty();
    if (known_) voice_db_ = static_cast<double>(found.values[0]);
  }
  void apply() noexcept {
    gain_.set(settings_[attack_ms] / 2.2, settings_[release_ms] / 2.2, rate_);
    // Of first order (the bilinear transform of s / (s + w)), so that what is taken out is in phase
    // with what it is taken from; its corner is half an octave lower, so that the band itself is met.
    const double w =
        std::tan(std::numbers::pi * std::min(0.7 * settings_[band_hz], 0.45 * rate_) / rate_);
    for (auto& b : bands_) b.set({1 / (1 + w), -1 / (1 + w), 0, (w - 1) / (w + 1), 0});
  }

  // Most of what the high sound is above the line, no more than allowed.
  void decide(const SibilanceEar::Tick& tick) noexcept {
    std::rotate(past_.begin(), past_.begin() + 1, past_.end());
    past_.back() = tick.high_db;
    const bool heard = finder_.hear(tick, voice_db_, settings_[line_db]);
    // The loudest moment around counts, so that the gain does not waver within a sound.
    const double high = *std::max_element(past_.begin(), past_.begin() + 5);
    const double over = high - voice_db_ - settings_[line_db];
    wanted_ = heard ? std::clamp(over * 0.7, 0.0, settings_[most_db]) : 0;
  }

  void cut(const AudioBlock& block) noexcept {
    delay_.process(block);
    for (int done = 0; done < block.frames(); done += chunk)
      cut_part(block.part(done, std::min(chunk, block.frames() - done)));
  }

  void cut_part(const AudioBlock& block) noexcept {
    const bool split = static_cast<int>(settings_[mode]) == split_band;
    std::array<double, chunk> taken;  // 1 - gain
    bool any = false;
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      reduced_ = gain_.process(wanted_);
      taken[i] =
          reduced_ < 1e-3
              ? 0.0
              : 1 - static_cast<double>(fast_exp2(static_cast<float>(reduced_ * -0.166096405)));
      any = any || taken[i] > 0;
    }
    for (size_t c = 0; c < bands_.size(); ++c) {
      size_t i = 0;
      for (float& x : block.channel(static_cast<int>(c))) {
        // What is above the band's corner is taken out of the sound: where nothing is cut nothing
        // is changed, not even in phase.
        const double in = static_cast<double>(x), high = bands_[c].process(in);
        if (any) x = static_cast<float>(in - taken[i] * (split ? high : in));
        ++i;
      }
    }
  }

  Settings settings_;
  double rate_;
  SibilanceEar ear_;
  SibilanceFinder finder_;
  Delay delay_;
  std::vector<Biquad> bands_;
  BranchingDetector gain_;
  bool known_ = false;
  double voice_db_ = -20, wanted_ = 0, reduced_ = 0;
  std::array<double, ticks> past_ = [] {
    std::array<double, ticks> a{};
    a.fill(-100);
    return a;
  }();
};

std::unique_ptr<Learner> learn(const Settings&, StreamFormat format) {
  return std::make_unique<VoiceLearner>(format);
}
std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<DeEss>(s, found, format);
}
std::string brief(const Settings& s) { return fmt::format("up to {:.0f} dB", s[most_db]); }

}  // namespace

const StepType& de_ess_step() {
  static const StepType type{
      .id = "de-ess",
      .label = "De-esser",
      .summary = "softens sharp s-sounds",
      .family = Family::clean,
      .parameters =
          {choice_parameter(
               "mode", "Cuts", {{"split", "High band only"}, {"whole", "Everything"}}, split_band,
               "Whether an s-sound is turned down above the band's frequency only, or as a whole."),
           {.id = "line_db",
            .label = "Line",
            .unit = "dB",
            .least = -40,
            .most = 0,
            .standard = -22,
            .help = "How loud the high sound must be, in dB against this clip's own voice, before "
                    "it acts. "
                    "It moves with the voice: a louder clip needs no other value."},
           {.id = "most_db",
            .label = "Most cut",
            .unit = "dB",
            .least = 0,
            .most = 24,
            .standard = 6,
            .help = "The most it takes from an s-sound, in dB. More than 8 begins to lisp."},
           {.id = "band_hz",
            .label = "Band from",
            .unit = "Hz",
            .least = 2000,
            .most = 10000,
            .standard = 4500,
            .scale = Scale::logarithmic,
            .help = "What lies above this frequency is turned down, in Hz."},
           {.id = "attack_ms",
            .label = "Attack",
            .unit = "ms",
            .least = 0.5,
            .most = 20,
            .standard = 4,
            .scale = Scale::logarithmic,
            .help = "How soon it turns down, in ms; it hears the sound coming."},
           {.id = "release_ms",
            .label = "Release",
            .unit = "ms",
            .least = 5,
            .most = 300,
            .standard = 40,
            .scale = Scale::logarithmic,
            .help = "How soon it lets go, in ms."}},
      .starting_points = {{"A touch", "takes the edge off and is never noticed", {{"most_db", 3}}},
                          {"Sharp condenser recording",
                           "a bright microphone near a bright voice",
                           {{"line_db", -24}, {"most_db", 8}, {"band_hz", 4000}}},
                          {"Dull microphone, hard s",
                           "nothing but the s itself",
                           {{"line_db", -20}, {"most_db", 6}, {"band_hz", 6000}}},
                          {"After heavy compression",
                           "s-sounds that were lifted with the quiet words",
                           {{"mode", whole_band}, {"line_db", -18}, {"most_db", 5}}}},
      .hears = Hears::whole_clip,
      .learn = learn,
      .make = make,
      .traits = {.tells = Tells::reduction, .only_once = true},
      .brief = brief,
      .picture = CourseSpec{.line = line_db, .most = most_db},
  };
  return type;
}

}  // namespace drevan
