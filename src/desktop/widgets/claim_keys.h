// SPDX-License-Identifier: GPL-3.0-or-later
// Keys that a widget with the focus takes before the window's shortcuts do.
#pragma once

#include <QKeyEvent>
#include <algorithm>
#include <initializer_list>

namespace drevan::desktop {

/// To be asked in QWidget::event(): accepts a shortcut's override for one of these keys.
inline bool claim_keys(QEvent* e, std::initializer_list<int> keys) {
  if (e->type() != QEvent::ShortcutOverride) return false;
  if (std::ranges::find(keys, static_cast<QKeyEvent*>(e)->key()) == keys.end()) return false;
  e->accept();
  return true;
}

}  // namespace drevan::desktop
