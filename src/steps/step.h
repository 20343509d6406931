// SPDX-License-Identifier: GPL-3.0-or-later
// What a step is. A new step is one file NAME_step.cpp in this folder that defines
// `const StepType& NAME_step()`; see docs/adding-a-step.md.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "steps/parameter.h"
#include "steps/picture.h"
#include "steps/processor.h"

namespace drevan {

/// What a step must hear before it can run.
enum class Hears { nothing, whole_clip, room_tone };

enum class Family { clean, tone, level, voice, motion, colour, space, line };

/// What a step's readings tell of the gain it takes away.
enum class Tells {
  nothing,
  reduction,           ///< readings: a level, the reduction in dB, and what else
  reduction_per_band,  ///< readings: a level and a reduction in dB for each band
  pitch,               ///< readings: the pitch before and after in Hz, 0 where there is none
};

/// What a step is for, for code that looks for, or adds, the one that does it. At most one step has
/// each; it may have other names one day.
enum class Role {
  none,
  gain,             ///< a plain gain, `gain_db`
  limiter,          ///< keeps peaks below `ceiling_db`
  normalise,        ///< one gain that brings a measured level to `target_db`
  noise_reduction,  ///< takes a learned noise out, by `depth_db`
  gate,             ///< closes below `threshold_db`
  compressor,       ///< turns down above `threshold_db`
  pan,              ///< moves between left and right, `pan_pct`
  place,            ///< a room with a place in it: `azimuth_deg`, `distance_m`
  loudspeaker,      ///< a device that plays it
  wall,             ///< what it is heard through
  stretch,          ///< another length at the same pitch: `length_s`, `length_pct`
  tape_speed,       ///< another length and pitch: `speed_pct`
};

/// What a step does to a sound, for advice and views: these never ask what a screen would draw.
struct Traits {
  Role role = Role::none;
  bool bends_level = false;  ///< its gain follows the sound: a compressor
  bool bends_tone = false;  ///< a room behind it no longer sounds like the room it was learned from
  Tells tells = Tells::nothing;
  bool only_once = false;        ///< applied twice it does harm
  bool spreads_in_time = false;  ///< a reverb, an echo
  /// Whether what leaves is brought to the loudness of what enters, over the whole sound; nullptr:
  /// never. Such a step hears nothing else before it can run.
  bool (*keeps_level)(const Settings&) = nullptr;
};

/// A second sound that a step may hear in step with its own: a carrier, a voice that others give
/// way to.
struct SideInput {
  std::string_view id;     ///< "carrier": goes into files
  std::string_view label;  ///< "Carrier"
  std::string_view help;   ///< one sentence
};

/// What a step is: everything the catalogue, recipes, command line and editor need to know.
struct StepType {
  std::string_view id;       ///< "noise-reduction": goes into files, never changes
  std::string_view label;    ///< "Noise reduction"
  std::string_view summary;  ///< "takes the room's noise out"
  Family family = Family::level;
  std::vector<Parameter> parameters;
  std::vector<TextParameter> texts{};
  std::vector<NamedSettings> starting_points{};
  /// After the user has chosen another value of `parameter`: sets what must follow, so that only
  /// what was asked for changes. `before`: as they were. nullptr: nothing must.
  void (*takes_over)(Settings& now, const Settings& before, int parameter) = nullptr;
  Hears hears = Hears::nothing;
  /// Whether a finding follows the sound it was learned from in time, so that it says nothing of another sound.
  bool finding_follows_time = false;
  /// Whether what it learns is learned over all clips of the group that it serves, as if they were one.
  bool (*shares)(const Settings&) = nullptr;
  std::unique_ptr<Learner> (*learn)(const Settings&, StreamFormat) = nullptr;
  /// `findings` may be empty: the step then does the harmless thing (mostly: nothing).
  /// Exactly one of `make` and `rewrite` is there.
  std::unique_ptr<Processor> (*make)(const Settings&, const Findings&, StreamFormat) = nullptr;
  std::unique_ptr<Rewriter> (*rewrite)(const Settings&, const RewriteContext&) = nullptr;
  /// How many channels leave where `in` come; nullptr: as many.
  int (*channels_out)(const Settings&, int in) = nullptr;
  std::vector<SideInput> sides{};
  Traits traits{};
  std::string (*brief)(const Settings&) = nullptr;  ///< "3.0 : 1", under the level path's column
  Picture picture{};
  /// Raised with every change of its sound: what was rendered, measured or learned by an older one is not taken
  /// for this one's.
  int revision = 1;
  /// Seconds of sound before a place after which playing from there sounds as if played from the start.
  double run_in_s = 1;
};

/// Centre frequency of band `i` of the 64 that a reduction's picture shows: 50 Hz to 20 kHz,
/// evenly spaced in pitch.
double band_hz(int i);

int channels_out(const StepType& type, const Settings& settings, int in);
bool keeps_level(const StepType& type, const Settings& settings);
/// Whether it must hear something before it can run: for itself, or to keep the level.
bool must_hear(const StepType& type, const Settings& settings);

// --- values ---

Settings standard_settings(const StepType& type);
Settings settings_of(const StepType& type, const NamedSettings& named);
/// Index of the parameter called `id`, or -1.
int parameter_index(const StepType& type, std::string_view id);
/// The same of one that must be there, since the code names it: throws std::logic_error with both names.
int parameter_at(const StepType& type, std::string_view id);
const Parameter& parameter_of(const StepType& type, std::string_view id);
/// Index into StepType::texts, or -1.
int text_index(const StepType& type, std::string_view id);
std::string_view family_label(Family family);

}  // namespace drevan
