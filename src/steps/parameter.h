// SPDX-License-Identifier: GPL-3.0-or-later
// The settings of a step: what they are, and their values.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

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
  std::string_view label;   ///< "Threshold"
  std::string_view unit{};  ///< "dB", "Hz", "ms", "%", ": 1" or ""
  double least = 0, most = 1, standard = 0;
  Scale scale = Scale::linear;
  std::string_view help{};         ///< one sentence for the tooltip
  std::vector<Choice> choices{};   ///< Scale::choice: the value is an index into these
  std::optional<double> off_at{};  ///< this end of the range means "off"
  bool learned_from = false;       ///< the step's finding depends on it
  bool fixed = false;              ///< it changes length, channels or latency, so it stands still
  int page = 0;                    ///< 0: always shown; n: belongs to part n of the picture
  bool whole = false;              ///< counted in whole numbers
  bool sets_length = false;        ///< how long all of the sound becomes, seconds; 0: it does not
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

/// Whether a parameter may follow a curve.
bool may_follow_curve(const Parameter& parameter);
/// Whether `value` is in range (for a list: a whole number within it). NaN is not.
bool in_range(const Parameter& p, double value);
/// As the screen shows it: "-15.0 dB", "3.0 : 1", "off", "True peak".
std::string value_text(const Parameter& p, double value);
/// 0 to 1 along the parameter's scale, and back (clamped).
double to_fraction(const Parameter& p, double value);
double from_fraction(const Parameter& p, double fraction);

}  // namespace drevan
