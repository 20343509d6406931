// SPDX-License-Identifier: GPL-3.0-or-later
// Small words for the screen.
#pragma once

#include <QString>
#include <QStringList>
#include <string>
#include <string_view>
#include <vector>

namespace drevan::desktop {

/// "1 clip", "3 clips".
inline QString counted(qsizetype n, const QString& one) {
  return QString("%1 %2%3").arg(n).arg(one, n == 1 ? "" : "s");
}

/// The core's words on the screen.
inline QString text(std::string_view s) {
  return QString::fromUtf8(s.data(), static_cast<int>(s.size()));
}

/// Tags as they are typed, with commas between.
inline std::vector<std::string> tags_of(const QString& typed) {
  std::vector<std::string> out;
  for (const auto& tag : typed.split(',', Qt::SkipEmptyParts))
    if (!tag.trimmed().isEmpty()) out.push_back(tag.trimmed().toStdString());
  return out;
}

}  // namespace drevan::desktop
