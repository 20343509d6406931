// SPDX-License-Identifier: GPL-3.0-or-later
#include "application.h"

#include <QTimer>

namespace drevan::desktop {

bool Application::notify(QObject* receiver, QEvent* event) {
  try {
    return QApplication::notify(receiver, event);
  } catch (...) {
    const Problem why = caught_problem();
    if (why.empty()) return false;
    // Later: what failed may be the line that tells, or a part of it that is being painted.
    QTimer::singleShot(0, this, [this, why] {
      if (failed)
        failed(why);
      else
        qWarning("%s", why.text.c_str());
    });
  }
  return false;
}

}  // namespace drevan::desktop
