// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "dsp/gain.h"
#include "steps/picture_spec.h"
#include "steps/step.h"

namespace drevan {

namespace {

enum : int { gain_db };

class Gain final : public Processor {
 public:
  Gain(const Settings& s, StreamFormat format) { gain_.prepare(format.rate, s[gain_db]); }
  void process(const AudioBlock& block) noexcept override { gain_.process(block); }
  void reset() noexcept override { gain_.settle(); }
  void set(int, double value) noexcept override { gain_.set_db(value); }

 private:
  GlidingGain gain_;
};

std::unique_ptr<Processor> make(const Settings& s, const Findings&, StreamFormat format) {
  return std::make_unique<Gain>(s, format);
}

std::string brief(const Settings& s) { return fmt::format("{:+.1f} dB", s[gain_db]); }

}  // namespace

const StepType& gain_step() {
  static const StepType type{
      .id = "gain",
      .label = "Gain",
      .summary = "makes everything louder or quieter",
      .family = Family::level,
      .parameters = {{.id = "gain_db",
                      .label = "Gain",
                      .unit = "dB",
                      .least = -60,
                      .most = 36,
                      .standard = 0,
                      .help = "How much louder (or, below 0, quieter) everything gets, in dB."}},
      .starting_points = {{"Quiet recording", "a voice recorded far too low", {{"gain_db", 12}}},
                          {"Leave headroom", "room before a step that lifts", {{"gain_db", -6}}},
                          {"After voice shaping", "what a dipped voice lost", {{"gain_db", 6.5}}}},
      .make = make,
      .traits = {.role = Role::gain},
      .brief = brief,
      .picture = LevelsSpec{.line = gain_db, .is_gain = true},
  };
  return type;
}

}  // namespace drevan
