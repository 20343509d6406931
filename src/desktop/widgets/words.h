// Small words for the screen.
#pragma once

#include <string_view>

#include <QString>

namespace drevan::desktop {

/// "1 clip", "3 clips".
inline QString counted(qsizetype n, const QString& one) {
  return QString("%1 %2%3").arg(n).arg(one, n == 1 ? "" : "s");
}

/// The core's words on the screen.
inline QString text(std::string_view s) { return QString::fromUtf8(s.data(), static_cast<int>(s.size())); }

}  // namespace drevan::desktop
