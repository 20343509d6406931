// Small words for the screen.
#pragma once

#include <QString>

namespace drevan::desktop {

/// "1 clip", "3 clips".
inline QString counted(qsizetype n, const QString& one) {
  return QString("%1 %2%3").arg(n).arg(one, n == 1 ? "" : "s");
}

}  // namespace drevan::desktop
