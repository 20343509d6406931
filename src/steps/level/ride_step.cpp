// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/k_weighting.h"
#include "measure/levels.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { goal_lufs, up_db, down_db, hand_ms, pause_db };

constexpr double tick_ms = 10;
constexpr int around = 25;  // ticks heard on either side of the one that is turned
constexpr size_t ring = 2 * around + 1;
constexpr int near_ticks = 12;   // a pause is left and entered this far from a word
constexpr int least_ticks = 12;  // of speech, before the hand moves
constexpr double glide_ms = 40;  // from word to pause and back

// The finding is one value: the clip's loudness, from which speech and pause are told.
class LoudnessLearner final : public Learner {
 public:
  explicit LoudnessLearner(StreamFormat format) : meter_(format, Detail::quick) {}
  void hear(const AudioBlock& block) override { meter_.hear(block); }
  Findings findings() const override {
    const auto lufs = meter_.levels().loudness_lufs;
    return lufs ? Findings{{static_cast<float>(*lufs)}} : Findings{};
  }

 private:
  LevelMeter meter_;
};

// K-weighted power of ticks, and which of them are speech.
class Past {
 public:
  void reset() noexcept {
    power_.fill(0);
    speech_.fill(false);
    at_ = 0;
  }
  void hear(double power, double least) noexcept {
    double recent = power;
    for (size_t back = 1; back < 5; ++back) recent += power_[(at_ + ring - back) % ring];
    power_[at_] = power;
    speech_[at_] = recent / 5 > least;
    at_ = (at_ + 1) % ring;
  }
  /// Mean power of the speech in sight; 0: too little.
  double speech_power() const noexcept {
    double sum = 0;
    int n = 0;
    for (size_t i = 0; i < ring; ++i)
      if (speech_[i]) sum += power_[i], ++n;
    return n < least_ticks ? 0 : sum / n;
  }
  /// Whether speech is within near_ticks of the tick in the middle.
  bool near() const noexcept {
    for (size_t i = around - near_ticks; i <= around + near_ticks; ++i)
      if (speech_[(at_ + i) % ring]) return true;
    return false;
  }

 private:
  std::array<double, ring> power_{};
  std::array<bool, ring> speech_{};
  size_t at_ = 0;  // the oldest
};

class Ride final : public Processor {
 public:
  Ride(const Settings& s, const Findings& found, StreamFormat format)
      : settings_(s),
        tick_frames_(std::max(1, static_cast<int>(std::lround(tick_ms * format.rate / 1000)))),
        delay_(format.channels, (around + 1) * tick_frames_),
        ears_(static_cast<size_t>(format.channels), KWeighting(format.rate)) {
    set_findings(found);
  }

  void process(const AudioBlock& block) noexcept override {
    if (known_)
      for (int done = 0; done < block.frames();) {
        const int n = std::min(block.frames() - done, tick_frames_ - filled_);
        turn(block.part(done, n));
        done += n;
      }
    else
      delay_.process(block);
  }
  Samples latency() const noexcept override { return delay_.frames(); }
  void reset() noexcept override {
    delay_.reset();
    for (auto& e : ears_) e.reset();
    past_.reset();
    sum_ = held_db_ = gain_db_ = 0;
    gain_ = next_gain_ = 1;
    filled_ = 0;
    begun_ = false;
    level_lufs_ = silence_db;
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
  }
  void set_findings(const Findings& found) noexcept override {
    known_ = !found.empty();
    if (known_) loudness_ = static_cast<double>(found.values[0]);
  }
  int readings(std::span<float> out) const noexcept override {
    out[0] = static_cast<float>(level_lufs_);
    out[1] = static_cast<float>(-gain_db_);
    out[2] = static_cast<float>(settings_[goal_lufs]);
    return 3;
  }

 private:
  // Of one tick at most: hears what comes in, turns what goes out.
  void turn(const AudioBlock& block) noexcept {
    for (size_t c = 0; c < ears_.size(); ++c)
      for (const float x : block.channel(static_cast<int>(c))) {
        const double k = ears_[c].process(static_cast<double>(x));
        sum_ += k * k;
      }
    delay_.process(block);
    const double step = (next_gain_ - gain_) / tick_frames_;
    for (int c = 0; c < block.channels(); ++c) {
      const auto x = block.channel(c);
      for (size_t i = 0; i < x.size(); ++i)
        x[i] *= static_cast<float>(gain_ + step * (filled_ + static_cast<int>(i) + 1));
    }
    filled_ += block.frames();
    if (filled_ < tick_frames_) return;
    past_.hear(sum_ / tick_frames_, from_lufs(loudness_ + settings_[pause_db]));
    filled_ = 0;
    sum_ = 0;
    gain_ = next_gain_;
    decide();
  }
  static double from_lufs(double lufs) { return std::pow(10.0, (lufs + 0.691) / 10); }

  void decide() noexcept {
    const bool word = past_.near();
    const double power = past_.speech_power();
    if (word && power > 0) {
      level_lufs_ = power_to_db(power) - 0.691;
      const double wanted =
          std::clamp(settings_[goal_lufs] - level_lufs_, -settings_[down_db], settings_[up_db]);
      // The first words are met at once; after that the hand is slow.
      held_db_ =
          begun_ ? held_db_ + (1 - std::exp(-tick_ms / settings_[hand_ms])) * (wanted - held_db_)
                 : wanted;
      begun_ = true;
    }
    const double goal = word ? held_db_ : std::min(held_db_, 0.0);
    gain_db_ += (1 - std::exp(-tick_ms / glide_ms)) * (goal - gain_db_);
    if (std::abs(goal - gain_db_) < 1e-4) gain_db_ = goal;
    next_gain_ = from_db(gain_db_);
  }

  Settings settings_;
  int tick_frames_;
  Delay delay_;
  std::vector<KWeighting> ears_;
  Past past_;
  bool known_ = false, begun_ = false;
  double loudness_ = -23;
  int filled_ = 0;
  double sum_ = 0, held_db_ = 0, gain_db_ = 0, gain_ = 1, next_gain_ = 1;
  double level_lufs_ = silence_db;
};

std::unique_ptr<Learner> learn(const Settings&, StreamFormat format) {
  return std::make_unique<LoudnessLearner>(format);
}
std::unique_ptr<Processor> make(const Settings& s, const Findings& found, StreamFormat format) {
  return std::make_unique<Ride>(s, found, format);
}
std::string brief(const Settings& s) { return fmt::format("to {:.0f} LUFS", s[goal_lufs]); }

}  // namespace

const StepType& ride_step() {
  static const StepType type{
      .id = "ride",
      .label = "Ride",
      .summary = "brings every sentence to one loudness, like a hand on a fader",
      .family = Family::level,
      .parameters =
          {{.id = "goal_lufs",
            .label = "Goal",
            .unit = "LUFS",
            .least = -36,
            .most = -9,
            .standard = -18,
            .help = "The loudness every sentence is brought to, in LUFS."},
           {.id = "up_db",
            .label = "Most up",
            .unit = "dB",
            .least = 0,
            .most = 18,
            .standard = 6,
            .help = "The most it lifts a quiet sentence, in dB. Pauses are never lifted."},
           {.id = "down_db",
            .label = "Most down",
            .unit = "dB",
            .least = 0,
            .most = 18,
            .standard = 9,
            .help = "The most it takes a loud sentence down, in dB."},
           {.id = "hand_ms",
            .label = "Hand",
            .unit = "ms",
            .least = 100,
            .most = 5000,
            .standard = 600,
            .scale = Scale::logarithmic,
            .help =
                "How slowly the hand moves, in ms: short follows words, long follows paragraphs."},
           {.id = "pause_db",
            .label = "Pauses at",
            .unit = "dB",
            .least = -40,
            .most = -6,
            .standard = -18,
            .help = "What is this far below the clip's own loudness, in dB, is a pause and not "
                    "speech."}},
      .starting_points = {{"Steady narrator",
                           "small corrections, never noticed",
                           {{"up_db", 4}, {"down_db", 4}, {"hand_ms", 1500}}},
                          {"Speaker who turns away",
                           "quick and far, for a head that moves",
                           {{"up_db", 10}, {"down_db", 10}, {"hand_ms", 300}}},
                          {"Two voices, one microphone",
                           "the far voice is brought up to the near one",
                           {{"up_db", 12}, {"down_db", 6}, {"hand_ms", 400}, {"pause_db", -26}}}},
      .hears = Hears::whole_clip,
      .learn = learn,
      .make = make,
      .traits = {.tells = Tells::reduction},
      .brief = brief,
      .picture = CourseSpec{.line = goal_lufs, .up = up_db, .down = down_db},
      .run_in_s = 4,
  };
  return type;
}

}  // namespace drevan
