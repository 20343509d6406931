// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <array>
#include <cmath>

#include "audio/decibel.h"
#include "dsp/delay.h"
#include "dsp/fractional_delay.h"
#include "dsp/lfo.h"
#include "dsp/voice_shifter.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

constexpr int copy_count = 4;
constexpr double most_delay_ms = 80, most_drift_ms = 6;
// Four settings a copy, then those of all.
enum : int { shift_st, delay_ms, level_db, pan_pct, each };
enum : int { dry_db = copy_count * each, drift_ms, out, level };

int of_copy(int copy, int setting) { return copy * each + setting; }
// Copies of a voice, each at its own pitch, time and place; they wander a little, so that they
// never lie on each other.
class Doubler final : public Processor {
 public:
  Doubler(const Settings& s, StreamFormat format)
      : rate_(format.rate),
        channels_in_(format.channels),
        channels_out_(channels_by_out<out>(s, format.channels)),
        voices_(format.rate, format.channels, copy_count),
        dry_(format.channels, static_cast<int>(voices_.latency())) {
    const double most = (most_delay_ms + most_drift_ms) / 1000 * rate_ + FractionalDelay::least;
    for (int k = 0; k < copy_count; ++k) {
      Copy& copy = copies_[static_cast<size_t>(k)];
      const auto value = [&](int setting) { return s[static_cast<size_t>(of_copy(k, setting))]; };
      copy.sound = AudioBuffer(format.channels, format.max_block);
      for (int c = 0; c < channels_in_; ++c) copy.lines.emplace_back(most);
      copy.delay.prepare(rate_, 30, value(delay_ms));
      copy.loud.prepare(rate_, 20, part_gain(value(level_db)));
      copy.pan.prepare(rate_, 20, value(pan_pct) / 100);
      // No two at one pace.
      copy.drift.prepare(rate_, 0.31 + 0.083 * k, motion_grid);
      voices_.set(std::exp2(value(shift_st) / 12), 1, k);
      voices_.mute(value(level_db) <= part_off_db, k);
    }
    voices_.reset();
    loud_.prepare(rate_, 20, part_gain(s[dry_db]));
    wander_.prepare(rate_, 50, s[drift_ms]);
    reset();
  }
  void process(const AudioBlock& block) noexcept override {
    const AudioBlock in = block.first(channels_in_);
    std::array<AudioBlock, copy_count> made{
        copies_[0].sound.block(0, block.frames()), copies_[1].sound.block(0, block.frames()),
        copies_[2].sound.block(0, block.frames()), copies_[3].sound.block(0, block.frames())};
    voices_.process(in, made);
    dry_.process(in);
    for (int c = channels_in_; c < channels_out_; ++c)
      std::ranges::copy(block.channel(0), block.channel(c).begin());
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto loud = static_cast<float>(loud_.next());
      const double wander = wander_.next();
      for (int c = 0; c < channels_out_; ++c) block.channel(c)[i] *= loud;
      for (size_t k = 0; k < copies_.size(); ++k) add(copies_[k], made[k], k, wander, block, i);
    }
  }
  Samples latency() const noexcept override { return voices_.latency(); }
  Samples tail() const noexcept override {
    return static_cast<Samples>((most_delay_ms + most_drift_ms) / 1000 * rate_ + 0.1 * rate_);
  }
  void reset() noexcept override {
    voices_.reset();
    dry_.reset();
    for (auto& copy : copies_) {
      for (auto& l : copy.lines) l.reset();
      for (Smoothed* s : {&copy.delay, &copy.loud, &copy.pan}) s->jump(s->goal());
    }
    for (Smoothed* s : {&loud_, &wander_}) s->jump(s->goal());
    place(0);
  }
  void place(Samples frame) noexcept override {
    for (auto& copy : copies_) {
      copy.drift.place(frame);
      copy.late.place(frame);
    }
  }
  void set(int parameter, double value) noexcept override {
    if (parameter == dry_db) loud_.set(part_gain(value));
    if (parameter == drift_ms) wander_.set(value);
    if (parameter >= dry_db) return;
    const int k = parameter / each;
    Copy& copy = copies_[static_cast<size_t>(k)];
    if (parameter % each == shift_st) voices_.set(std::exp2(value / 12), 1, k);
    if (parameter % each == delay_ms) copy.delay.set(value);
    if (parameter % each == pan_pct) copy.pan.set(value / 100);
    if (parameter % each != level_db) return;
    copy.loud.set(part_gain(value));
    if (value > part_off_db) voices_.mute(false, k);
  }

 private:
  struct Copy {
    AudioBuffer sound{1, 1};
    std::vector<FractionalDelay> lines;
    Smoothed delay, loud, pan;
    Lfo drift;
    OnGrid late;
  };

  void add(Copy& copy, const AudioBlock& made, size_t k, double wander, const AudioBlock& block,
           size_t i) noexcept {
    const double delay = copy.delay.next(), pan = copy.pan.next(), loud = copy.loud.next();
    if (copy.late.wants()) {
      copy.drift.next();
      const double way =
          (1 + lfo_value(LfoShape::drift, copy.drift.cycles() + 100 * static_cast<double>(k))) / 2;
      copy.late.aim(delay + wander * way);
    }
    const double ms = copy.late.next();
    for (int c = 0; c < channels_in_; ++c)
      copy.lines[static_cast<size_t>(c)].write(made.channel(c)[i]);
    if (loud == 0) {
      if (copy.loud.goal() == 0) voices_.mute(true, static_cast<int>(k));
      return;
    }
    const double frames = std::max(FractionalDelay::least, ms / 1000 * rate_);
    for (int c = 0; c < channels_out_; ++c) {
      const auto from = static_cast<size_t>(std::min(c, channels_in_ - 1));
      const double side = channels_out_ == 2 ? side_gain(c, pan) : 1;
      block.channel(c)[i] += static_cast<float>(loud * side) * copy.lines[from].read(frames);
    }
  }

  double rate_;
  int channels_in_, channels_out_;
  VoiceShifter voices_;
  Delay dry_;
  std::array<Copy, copy_count> copies_;
  Smoothed loud_, wander_;
};

std::vector<Parameter> parameters() {
  static constexpr std::string_view ids[copy_count][each] = {
      {"shift_1_st", "delay_1_ms", "level_1_db", "pan_1_pct"},
      {"shift_2_st", "delay_2_ms", "level_2_db", "pan_2_pct"},
      {"shift_3_st", "delay_3_ms", "level_3_db", "pan_3_pct"},
      {"shift_4_st", "delay_4_ms", "level_4_db", "pan_4_pct"}};
  static constexpr double shifts[] = {0, 0, -12, 12}, delays[] = {14, 23, 18, 30},
                          pans[] = {-60, 60, -30, 30};
  std::vector<Parameter> all;
  for (int k = 0; k < copy_count; ++k) {
    const auto& id = ids[k];
    all.push_back({.id = id[shift_st],
                   .label = "Shift",
                   .unit = "st",
                   .least = -12,
                   .most = 12,
                   .standard = shifts[k],
                   .help = "How much higher the copy is, in semitones.",
                   .page = k + 1,
                   .paces = true});
    all.push_back({.id = id[delay_ms],
                   .label = "Delay",
                   .unit = "ms",
                   .least = 0,
                   .most = most_delay_ms,
                   .standard = delays[k],
                   .help = "How late the copy is, in ms.",
                   .page = k + 1});
    all.push_back({.id = id[level_db],
                   .label = "Level",
                   .unit = "dB",
                   .least = part_off_db,
                   .most = 0,
                   .standard = k < 2 ? -6 : part_off_db,
                   .help = "How loud the copy is.",
                   .off_at = part_off_db,
                   .page = k + 1});
    all.push_back({.id = id[pan_pct],
                   .label = "Position",
                   .unit = "%",
                   .least = -100,
                   .most = 100,
                   .standard = pans[k],
                   .help = "Where it stands between left and right; heard in stereo.",
                   .page = k + 1});
  }
  all.push_back({.id = "dry_db",
                 .label = "Voice",
                 .unit = "dB",
                 .least = part_off_db,
                 .most = 0,
                 .standard = 0,
                 .help = "How loud the voice itself is.",
                 .off_at = part_off_db});
  all.push_back({.id = "drift_ms",
                 .label = "Drift",
                 .unit = "ms",
                 .least = 0,
                 .most = most_drift_ms,
                 .standard = 1.5,
                 .help =
                     "How far the copies wander in time, and a little in pitch with it, so that "
                     "they do not sound like one voice in a tube."});
  Parameter stereo = out_parameter();
  stereo.standard = out_stereo;
  all.push_back(std::move(stereo));
  all.push_back(level_parameter());
  return all;
}

CopiesSpec picture() {
  CopiesSpec spec;
  for (int k = 0; k < copy_count; ++k)
    spec.copies.push_back({of_copy(k, shift_st), of_copy(k, pan_pct), of_copy(k, level_db),
                           of_copy(k, delay_ms), k + 1});
  spec.dry = dry_db;
  return spec;
}

std::string brief(const Settings& s) {
  int on = 0;
  for (int k = 0; k < copy_count; ++k)
    on += s[static_cast<size_t>(of_copy(k, level_db))] > part_off_db;
  return fmt::format("{} {}", on, on == 1 ? "copy" : "copies");
}

}  // namespace

const StepType& doubler_step() {
  static const StepType type{
      .id = "doubler",
      .label = "Doubler",
      .summary = "more voices out of one, left and right of it",
      .family = Family::voice,
      .parameters = parameters(),
      .starting_points =
          {{"Doubled", "wider, one to each side", {{"shift_1_st", 0.1}, {"shift_2_st", -0.1}}},
           {"Octave below",
            "a shadow under the voice",
            {{"level_1_db", -60}, {"level_2_db", -60}, {"level_3_db", -4}, {"pan_3_pct", 0}}},
           {"Many as one",
            "four around the speaker",
            {{"shift_1_st", 0.15},
             {"shift_2_st", -0.15},
             {"shift_3_st", -0.3},
             {"shift_4_st", 0.3},
             {"level_3_db", -8},
             {"level_4_db", -8},
             {"pan_3_pct", -100},
             {"pan_4_pct", 100},
             {"drift_ms", 4}}},
           {"Spirits",
            "above and below, the voice itself far",
            {{"shift_1_st", -5},
             {"shift_2_st", 7},
             {"level_1_db", -3},
             {"level_2_db", -6},
             {"dry_db", -14},
             {"drift_ms", 5}}}},
      .make = make_work<Doubler>,
      .channels_out = channels_by_out<out>,
      .traits = {.bends_tone = true, .keeps_level = level_is_kept<level>},
      .brief = brief,
      .picture = picture(),
      .run_in_s = 2,
  };
  return type;
}

}  // namespace drevan
