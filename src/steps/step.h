// What a step is, and a step at work. A new step is one file NAME_step.cpp in this folder that
// defines `const StepType& NAME_step()`; see docs/adding-a-step.md.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "audio/buffer.h"
#include "audio/sound.h"
#include "steps/curve.h"
#include "steps/picture_spec.h"

namespace drevan {

enum class Scale { linear, logarithmic, choice };

/// One entry of a list parameter. `id` goes into files, `label` onto the screen.
struct Choice {
  std::string_view id, label;
};

/// One setting of a step.
struct Parameter {
  /// Lower case, unit at the end: "threshold_db", "turn_deg", "away_m", "fine_cent".
  std::string_view id;
  std::string_view label;  ///< "Threshold"
  std::string_view unit{};   ///< "dB", "Hz", "ms", "%", ": 1" or ""
  double least = 0, most = 1, standard = 0;
  Scale scale = Scale::linear;
  std::string_view help{};        ///< one sentence for the tooltip
  std::vector<Choice> choices{};  ///< Scale::choice: the value is an index into these
  std::optional<double> off_at{}; ///< this end of the range means "off"
  bool learned_from = false;    ///< the step's finding depends on it
  bool fixed = false;           ///< it changes length, channels or latency, so it stands still
  int page = 0;                 ///< 0: always shown; n: belongs to part n of the picture
  bool whole = false;           ///< counted in whole numbers
  bool sets_length = false;     ///< how long all of the sound becomes, seconds; 0: it does not
  /// It paces something that goes to and fro, or is a pitch: what swings goes on from where it is
  /// when this is turned.
  bool paces = false;
};

/// A list parameter: `standard` is an index into `choices`.
Parameter choice_parameter(std::string_view id, std::string_view label, std::vector<Choice> choices,
                           int standard, std::string_view help);

/// A setting that is no number: words, as a chord, or a file, as a response.
struct TextParameter {
  std::string_view id;          ///< lower case: "chord"
  std::string_view label;       ///< "Chord"
  std::string_view help{};      ///< one sentence for the tooltip
  std::string_view standard{};  ///< of a file: empty, none
  std::string_view files{};     ///< it is a file of these kinds: "*.wav *.flac". Empty: words
  /// What is wrong with words, to stand behind its label ("has no note H"), or with what a file
  /// holds, to stand behind its name ("is empty"); empty: nothing. nullptr: all are good.
  std::string (*fault)(std::string_view) = nullptr;
  bool is_response = false;  ///< a file that can be made with a sweep
  bool is_file() const { return !files.empty(); }
};

/// What is wrong with a text, see TextParameter::fault; no file at all is right.
std::string fault_of(const TextParameter& parameter, const std::string& text);

/// A step's values, in the order of StepType::parameters and StepType::texts. A file is its path,
/// absolute in memory.
struct Settings {
  std::vector<double> values;
  std::vector<std::string> texts{};
  double operator[](size_t i) const { return values[i]; }
  friend bool operator==(const Settings&, const Settings&) = default;
};

/// Settings under a name, for a real case. What is left out has its standard value.
struct NamedSettings {
  std::string_view name, note;
  std::vector<std::pair<std::string_view, double>> values;
  std::string_view kind{};  ///< a heading over those that follow each other; empty: none
};

/// What a step measured before it can run; the meaning is the step's own. Empty: nothing found.
struct Findings {
  std::vector<float> values;
  bool empty() const { return values.empty(); }
  friend bool operator==(const Findings&, const Findings&) = default;
};

/// Hears sound as it is at a step's input, then tells what it found.
class Learner {
 public:
  virtual ~Learner() = default;
  virtual void hear(const AudioBlock& block) = 0;
  virtual Findings findings() const = 0;
};

/// A step at work on one stream. All but the destructor is real-time safe: no allocation, no lock,
/// no exception. One thread at a time.
class Processor {
 public:
  virtual ~Processor() = default;
  /// In place; 0 to the format's max_block frames. The result does not depend on block size. The block is as wide
  /// as the wider side: sound comes in its first channels, and leaves in its first StepType::channels_out ones.
  virtual void process(const AudioBlock& block) noexcept = 0;
  /// Comes before process(), for each of StepType::sides that there is: its frames that go with
  /// those of the next block, silence where it has ended. As many channels as it has.
  virtual void hear_side(int /*side*/, const AudioBlock&) noexcept {}
  /// Frames by which the output is late; constant. The engine takes them out again.
  virtual Samples latency() const noexcept { return 0; }
  /// Frames after the last input in which the output may still be above -80 dB of it.
  virtual Samples tail() const noexcept { return 0; }
  /// As new, keeping the settings; the next frame is taken for the first, see place().
  virtual void reset() noexcept = 0;
  /// After reset(), for steps whose findings follow the sound in time: the next frame to come is this one of the
  /// sound that enters the step, counted from its beginning; below 0: before it.
  virtual void place(Samples) noexcept {}
  /// A new value while running, in range; heard smoothly, without a click.
  virtual void set(int parameter, double value) noexcept = 0;
  /// The curve that a parameter which paces something follows, straight in its value; nullptr:
  /// none. For steps that must know how far it has gone at any moment, see integral_to(). Told
  /// before reset(); it lives until another one is told.
  virtual void follow(int /*parameter*/, const Curve*) noexcept {}
  /// A new finding while running; heard smoothly. One that is larger than any before may allocate.
  virtual void set_findings(const Findings&) noexcept {}
  /// Live readings for the picture, as its spec says; returns how many were written.
  virtual int readings(std::span<float>) const noexcept { return 0; }
};

/// A step that makes a sound of another length, or another order in time, of a whole one.
class Rewriter {
 public:
  using Sink = std::function<void(const AudioBlock&)>;
  /// Told how much is done, 0 to 1; may throw, as Cancelled.
  using Tell = std::function<void(double)>;
  virtual ~Rewriter() = default;
  /// How many frames it makes of a sound of `frames`.
  virtual Samples length(Samples frames) const = 0;
  /// Where moments of it are afterwards.
  virtual TimeMap map(Samples frames) const = 0;
  /// Writes exactly length() frames. Throws what `in`, `out` and `tell` throw.
  virtual void rewrite(SoundReader& in, const Sink& out, const Tell& tell) = 0;
};

/// What a rewriter is made for.
struct RewriteContext {
  StreamFormat format;
  std::span<const Track> tracks;
};

/// The most values readings() gives.
inline constexpr int max_readings = 128;

enum class Family { clean, tone, level, voice, motion, colour, space, line };

/// What a step must hear before it can run.
enum class Hears { nothing, whole_clip, room_tone };

/// What a step's readings tell of the gain it takes away.
enum class Tells {
  nothing,
  reduction,           ///< readings: a level, the reduction in dB, and what else
  reduction_per_band,  ///< readings: a level and a reduction in dB for each band
  pitch,               ///< readings: the pitch before and after in Hz, 0 where there is none
};

/// What a step does to a sound, for advice and views: these never ask what a screen would draw.
struct Traits {
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
  PictureSpec picture{};
  /// Raised with every change of its sound: what was rendered, measured or learned by an older one is not taken
  /// for this one's.
  int revision = 1;
  /// Seconds of sound before a place after which playing from there sounds as if played from the start.
  double run_in_s = 1;
};

/// Centre frequency of band `i` of the 64 that ReductionSpec's readings use: 50 Hz to 20 kHz,
/// evenly spaced in pitch.
double band_hz(int i);

int channels_out(const StepType& type, const Settings& settings, int in);
bool keeps_level(const StepType& type, const Settings& settings);
/// Whether it must hear something before it can run: for itself, or to keep the level.
bool must_hear(const StepType& type, const Settings& settings);
/// Whether a parameter may follow a curve.
bool may_follow_curve(const Parameter& parameter);

// --- values ---

Settings standard_settings(const StepType& type);
Settings settings_of(const StepType& type, const NamedSettings& named);
/// Index of the parameter called `id`, or -1.
int parameter_index(const StepType& type, std::string_view id);
/// Index into StepType::texts, or -1.
int text_index(const StepType& type, std::string_view id);
/// Whether `value` is in range (for a list: a whole number within it). NaN is not.
bool in_range(const Parameter& p, double value);
/// As the screen shows it: "-15.0 dB", "3.0 : 1", "off", "True peak".
std::string value_text(const Parameter& p, double value);
/// 0 to 1 along the parameter's scale, and back (clamped).
double to_fraction(const Parameter& p, double value);
double from_fraction(const Parameter& p, double fraction);
std::string_view family_label(Family family);

}  // namespace drevan
