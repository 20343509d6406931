// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cmath>
#include <optional>

#include "dsp/delay.h"
#include "dsp/heard_pitch.h"
#include "dsp/sound_shifter.h"
#include "dsp/voice_shifter.h"
#include "steps/common_parameters.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { way, shift_st, fine_cent, formants, formant_st, mix_pct };
constexpr int voice = 0, any_sound = 1;
constexpr int keep = 0, move = 1;

double ratio(double semitones) { return std::exp2(semitones / 12); }

struct Ratios {
  double pitch, formants;
};
Ratios ratios_of(const Settings& s) {
  const double pitch = ratio(s[shift_st] + s[fine_cent] / 100);
  return {pitch, ratio(s[formant_st]) * (s[formants] == move ? pitch : 1)};
}

class Pitch final : public Processor {
 public:
  Pitch(const Settings& s, StreamFormat format)
      : settings_(s), dry_(format.channels, format.max_block), delay_(format.channels, 0) {
    const Ratios r = ratios_of(s);
    if (s[way] == voice) {
      voice_.emplace(format.rate, format.channels);
      voice_->set(r.pitch, r.formants);
      voice_->reset();
    } else {
      sound_.emplace(format.rate, format.channels, r.pitch, r.formants);
      heard_.emplace(format.rate, sound_->latency());
    }
    delay_ = Delay(format.channels, static_cast<int>(latency()));
    mix_.prepare(format.rate, 20, s[mix_pct] / 100);
    tail_ = static_cast<Samples>(0.1 * format.rate);
  }
  void process(const AudioBlock& block) noexcept override {
    if (heard_)
      for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
        float mono = 0;
        for (int c = 0; c < block.channels(); ++c) mono += block.channel(c)[i];
        heard_->hear(mono);
      }
    const auto dry = dry_.block(0, block.frames());
    dry.copy_from(block);
    delay_.process(dry);
    if (voice_)
      voice_->process(block);
    else
      sound_->process(block);
    if (!mix_.moving() && mix_.value() == 1) return;
    for (size_t i = 0; i < static_cast<size_t>(block.frames()); ++i) {
      const auto mix = static_cast<float>(mix_.next());
      for (int c = 0; c < block.channels(); ++c) {
        const float untouched = dry.channel(c)[i];
        block.channel(c)[i] = untouched + mix * (block.channel(c)[i] - untouched);
      }
    }
  }
  Samples latency() const noexcept override {
    return voice_ ? voice_->latency() : sound_->latency();
  }
  Samples tail() const noexcept override { return tail_; }
  void reset() noexcept override {
    if (voice_)
      voice_->reset();
    else
      sound_->reset();
    if (heard_) heard_->reset();
    delay_.reset();
    mix_.jump(mix_.goal());
  }
  void set(int parameter, double value) noexcept override {
    settings_.values[static_cast<size_t>(parameter)] = value;
    if (parameter == mix_pct) return mix_.set(value / 100);
    const Ratios r = ratios_of(settings_);
    if (voice_)
      voice_->set(r.pitch, r.formants);
    else
      sound_->set(r.pitch, r.formants);
  }
  int readings(std::span<float> out) const noexcept override {
    const double before = voice_ ? voice_->pitch_in() : heard_->hz();
    out[0] = static_cast<float>(before);
    out[1] = static_cast<float>(voice_ ? voice_->pitch_out() : before * ratios_of(settings_).pitch);
    return 2;
  }

 private:
  Settings settings_;
  std::optional<VoiceShifter> voice_;
  std::optional<SoundShifter> sound_;
  std::optional<HeardPitch> heard_;  // of any sound, for the picture
  AudioBuffer dry_;
  Delay delay_;
  Smoothed mix_;
  Samples tail_ = 0;
};

std::string brief(const Settings& s) {
  const double st = s[shift_st] + s[fine_cent] / 100;
  return st == 0 && s[formant_st] != 0 ? fmt::format("formants {:+.0f} st", s[formant_st])
                                       : fmt::format("{:+.3g} st", st);
}

}  // namespace

const StepType& pitch_step() {
  Parameter way_parameter = choice_parameter(
      "way", "Way", {{"voice", "a voice"}, {"any", "any sound"}}, voice,
      "A voice: one voice alone, quick, keeps its formants by nature. Any sound: music, "
      "effects, several voices; slow.");
  way_parameter.fixed = true;
  static const StepType type{
      .id = "pitch",
      .label = "Pitch",
      .summary = "higher or deeper, as long as before",
      .family = Family::voice,
      .parameters = {std::move(way_parameter),
                     {.id = "shift_st",
                      .label = "Shift",
                      .unit = "st",
                      .least = -24,
                      .most = 24,
                      .standard = 0,
                      .help = "How much higher, in semitones. Typed, it also takes \"third\", "
                              "\"-12 %\" and \"+30 cent\".",
                      .paces = true},
                     {.id = "fine_cent",
                      .label = "Fine",
                      .unit = "cent",
                      .least = -100,
                      .most = 100,
                      .standard = 0,
                      .help = "A little higher or deeper, in hundredths of a semitone.",
                      .paces = true},
                     choice_parameter("formants", "Formants", {{"keep", "keep"}, {"move", "move"}},
                                      keep,
                                      "Keep: the same person, higher or deeper. Move: another "
                                      "size of person, as on a tape."),
                     {.id = "formant_st",
                      .label = "Formant",
                      .unit = "st",
                      .least = -12,
                      .most = 12,
                      .standard = 0,
                      .help = "How much smaller (up) or larger (down) the speaker becomes, in "
                              "semitones.",
                      .paces = true},
                     mix_parameter(100)},
      .starting_points = {{"A third up", "brighter, the same person", {{"shift_st", 4}}},
                          {"An octave up", "a small voice", {{"shift_st", 12}, {"formant_st", 4}}},
                          {"Deeper", "larger and darker", {{"shift_st", -4}, {"formant_st", -2}}},
                          {"Giant", "slow and huge", {{"shift_st", -9}, {"formant_st", -6}}},
                          {"Any sound, an octave down",
                           "for effects and music",
                           {{"way", any_sound}, {"shift_st", -12}, {"formants", move}}}},
      .make = make_work<Pitch>,
      .traits = {.tells = Tells::pitch},
      .brief = brief,
      .picture = NotesSpec{.shift = shift_st, .fine = fine_cent, .formant = formant_st},
      .run_in_s = 2,
  };
  return type;
}

}  // namespace drevan
