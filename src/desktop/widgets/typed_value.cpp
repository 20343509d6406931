// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/typed_value.h"

#include <QCoreApplication>
#include <QRegularExpression>
#include <cmath>

#include "widgets/words.h"

namespace drevan::desktop {

namespace {

// "third", "-12 %" or "+30 cent" where semitones are asked for.
std::optional<double> typed_interval(const Parameter& parameter, const QString& typed) {
  if (parameter.unit != "st") return std::nullopt;
  static const std::pair<const char*, double> intervals[] = {
      {"minor second", 1}, {"second", 2},         {"minor third", 3}, {"third", 4},
      {"fourth", 5},       {"tritone", 6},        {"fifth", 7},       {"minor sixth", 8},
      {"sixth", 9},        {"minor seventh", 10}, {"seventh", 11},    {"octave", 12}};
  static const QRegularExpression named("^([-+]?)\\s*([a-z ]+?)(?:\\s+(up|down))?$");
  if (const auto m = named.match(typed.toLower()); m.hasMatch())
    for (const auto& [name, st] : intervals)
      if (m.captured(2) == QCoreApplication::translate("TypedValue", name))
        return m.captured(1) == "-" || m.captured(3) == "down" ? -st : st;
  static const QRegularExpression part("^([-+]?[0-9]*\\.?[0-9]+)\\s*(%|cent|cents|ct)$");
  const auto m = part.match(typed.toLower());
  if (!m.hasMatch()) return std::nullopt;
  const double v = m.captured(1).toDouble();
  if (m.captured(2) != "%") return v / 100;
  return v > -100 ? std::optional(12 * std::log2(1 + v / 100)) : std::nullopt;
}

}  // namespace

std::optional<double> typed_value(const Parameter& parameter, const QString& typed, QString* why) {
  const auto tr = [](const char* s) { return QCoreApplication::translate("TypedValue", s); };
  const auto value = typed.trimmed().replace(',', '.');
  for (size_t i = 0; i < parameter.choices.size(); ++i)
    if (value.compare(text(parameter.choices[i].label), Qt::CaseInsensitive) == 0)
      return static_cast<double>(i);
  if (value == "off" && parameter.off_at) return *parameter.off_at;
  if (const auto st = typed_interval(parameter, value))
    if (in_range(parameter, *st)) return st;
  static const QRegularExpression form("^([-+]?[0-9]*\\.?[0-9]+)\\s*(k?)[^0-9]*$");
  const auto match = form.match(value);
  if (!match.hasMatch() || !parameter.choices.empty()) {
    *why = (parameter.choices.empty() ? tr("%1: \"%2\" is not a number.")
                                      : tr("%1: \"%2\" is not in its list."))
               .arg(text(parameter.label), value);
    return std::nullopt;
  }
  const double v = match.captured(1).toDouble() * (match.captured(2).isEmpty() ? 1 : 1000);
  if (in_range(parameter, v)) return v;
  *why =
      tr("%1 must lie between %2 and %3.")
          .arg(text(parameter.label), QString::number(parameter.least) + " " + text(parameter.unit),
               QString::number(parameter.most) + " " + text(parameter.unit));
  return std::nullopt;
}

}  // namespace drevan::desktop
