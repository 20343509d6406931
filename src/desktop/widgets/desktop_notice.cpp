// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/desktop_notice.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QVariantMap>

namespace drevan::desktop {

void show_desktop_notice(const QString& title, const QString& text) {
  auto bus = QDBusConnection::sessionBus();
  if (!bus.isConnected()) return;
  auto call = QDBusMessage::createMethodCall("org.freedesktop.Notifications",
                                             "/org/freedesktop/Notifications",
                                             "org.freedesktop.Notifications", "Notify");
  // Program, what it replaces, icon, title, text, actions, hints, time (-1: as usual).
  call.setArguments(
      {QString("Drevan"), 0U, QString("drevan"), title, text, QStringList(), QVariantMap(), -1});
  bus.send(call);
}

}  // namespace drevan::desktop
