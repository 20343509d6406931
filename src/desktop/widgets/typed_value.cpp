#include "widgets/typed_value.h"

#include <QCoreApplication>
#include <QRegularExpression>

#include "widgets/words.h"

namespace drevan::desktop {

std::optional<double> typed_value(const Parameter& parameter, const QString& typed, QString* why) {
  const auto tr = [](const char* s) { return QCoreApplication::translate("TypedValue", s); };
  const auto value = typed.trimmed().replace(',', '.');
  for (size_t i = 0; i < parameter.choices.size(); ++i)
    if (value.compare(text(parameter.choices[i].label), Qt::CaseInsensitive) == 0)
      return static_cast<double>(i);
  if (value == "off" && parameter.off_at) return *parameter.off_at;
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
