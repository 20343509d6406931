// SPDX-License-Identifier: GPL-3.0-or-later
// A text field that stands in a view for as long as something is typed.
#pragma once

#include <QLineEdit>
#include <utility>

namespace drevan::desktop {

/// Takes it off the screen at once, so that it keeps no keys, and deletes it when its own signals
/// are done. `field` is nullptr then; it may be already.
inline void close_field(QLineEdit*& field) {
  QLineEdit* gone = std::exchange(field, nullptr);
  if (!gone) return;
  gone->hide();
  gone->deleteLater();
}

}  // namespace drevan::desktop
