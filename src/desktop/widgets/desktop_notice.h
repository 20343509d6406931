// SPDX-License-Identifier: GPL-3.0-or-later
// A note from the desktop itself, for when the window is out of sight.
#pragma once

#include <QString>

namespace drevan::desktop {

/// Asks the desktop's notification service (org.freedesktop.Notifications) to show it; where there
/// is none, nothing happens. Returns at once.
void show_desktop_notice(const QString& title, const QString& text);

}  // namespace drevan::desktop
