// SPDX-License-Identifier: GPL-3.0-or-later
#include "steps/step.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace drevan {

std::string fault_of(const TextParameter& p, const std::string& text) {
  if (!p.fault || (p.is_file() && text.empty())) return {};
  return p.fault(text);
}

Parameter choice_parameter(std::string_view id, std::string_view label, std::vector<Choice> choices,
                           int standard, std::string_view help) {
  Parameter p;
  p.id = id;
  p.label = label;
  p.most = static_cast<double>(choices.size()) - 1;
  p.standard = standard;
  p.scale = Scale::choice;
  p.help = help;
  p.choices = std::move(choices);
  return p;
}

double band_hz(int i) { return 50.0 * std::pow(400.0, static_cast<double>(i) / 63.0); }

int channels_out(const StepType& type, const Settings& settings, int in) {
  return type.channels_out ? type.channels_out(settings, in) : in;
}

bool keeps_level(const StepType& type, const Settings& settings) {
  return type.traits.keeps_level && type.traits.keeps_level(settings);
}

bool must_hear(const StepType& type, const Settings& settings) {
  return type.hears != Hears::nothing || keeps_level(type, settings);
}

bool may_follow_curve(const Parameter& parameter) {
  return !parameter.fixed && !parameter.learned_from;
}

Settings standard_settings(const StepType& type) {
  Settings s;
  for (const auto& p : type.parameters) s.values.push_back(p.standard);
  for (const auto& p : type.texts) s.texts.emplace_back(p.standard);
  return s;
}

Settings settings_of(const StepType& type, const NamedSettings& named) {
  Settings s = standard_settings(type);
  for (const auto& [id, value] : named.values)
    if (const int i = parameter_index(type, id); i >= 0) s.values[static_cast<size_t>(i)] = value;
  return s;
}

int parameter_index(const StepType& type, std::string_view id) {
  const auto at = std::ranges::find(type.parameters, id, &Parameter::id);
  return at == type.parameters.end() ? -1 : static_cast<int>(at - type.parameters.begin());
}

int parameter_at(const StepType& type, std::string_view id) {
  const int at = parameter_index(type, id);
  if (at < 0) throw std::logic_error(fmt::format("The step {} has no parameter {}.", type.id, id));
  return at;
}

const Parameter& parameter_of(const StepType& type, std::string_view id) {
  return type.parameters[static_cast<size_t>(parameter_at(type, id))];
}

int text_index(const StepType& type, std::string_view id) {
  const auto at = std::ranges::find(type.texts, id, &TextParameter::id);
  return at == type.texts.end() ? -1 : static_cast<int>(at - type.texts.begin());
}

bool in_range(const Parameter& p, double value) {
  if (!(value >= p.least && value <= p.most)) return false;
  return p.scale != Scale::choice || value == std::floor(value);
}

std::string value_text(const Parameter& p, double value) {
  if (p.scale == Scale::choice)
    return std::string(p.choices.at(static_cast<size_t>(std::lround(value))).label);
  if (p.off_at && value == *p.off_at) return "off";
  const std::string space = p.unit.empty() ? "" : " ";
  if (p.unit == "Hz" && value >= 1000)
    return fmt::format("{:.{}f} kHz", value / 1000, value >= 10000 ? 1 : 2);
  if (p.unit == "ms" && value >= 1000) return fmt::format("{:.2f} s", value / 1000);
  int digits = 1;
  if (p.unit == "Hz") digits = value < 1 ? 2 : value < 20 ? 1 : 0;
  if (p.unit == "%" || p.unit == "deg" || p.unit == "cent") digits = 0;
  if (p.unit == "m") digits = 2;
  if (p.unit == "ms") digits = value < 10 ? 1 : 0;
  if (p.unit.empty()) digits = p.whole ? 0 : 2;
  const std::string number = fmt::format("{:.{}f}", value, digits);
  return (number == "-0.0" ? "0.0" : number) + space + std::string(p.unit);
}

double to_fraction(const Parameter& p, double value) {
  if (p.most <= p.least) return 0;
  const double f = p.scale == Scale::logarithmic
                       ? std::log(value / p.least) / std::log(p.most / p.least)
                       : (value - p.least) / (p.most - p.least);
  return std::clamp(f, 0.0, 1.0);
}

double from_fraction(const Parameter& p, double fraction) {
  const double f = std::clamp(fraction, 0.0, 1.0);
  if (f == 0.0) return p.least;  // exactly, so that "off" at an end is reached
  if (f == 1.0) return p.most;
  const double v = p.scale == Scale::logarithmic ? p.least * std::pow(p.most / p.least, f)
                                                 : p.least + f * (p.most - p.least);
  return p.scale == Scale::choice || p.whole ? std::round(v) : v;
}

std::string_view family_label(Family family) {
  switch (family) {
    case Family::clean:
      return "clean";
    case Family::tone:
      return "tone";
    case Family::level:
      return "level";
    case Family::voice:
      return "voice";
    case Family::motion:
      return "motion";
    case Family::colour:
      return "colour";
    case Family::space:
      return "space";
    case Family::line:
      return "line";
  }
  return "";
}

}  // namespace drevan
