// SPDX-License-Identifier: GPL-3.0-or-later
#include "one_instance.h"

#include <QDBusConnection>
#include <QDBusConnectionInterface>
#include <QDBusMessage>
#include <QTimer>

namespace drevan::desktop {

namespace {
constexpr const char* service = "org.drevan.Drevan";
constexpr const char* object = "/org/drevan/Drevan";
constexpr int answers_within_ms = 3000;
}  // namespace

bool hand_over(const QStringList& files) {
  const auto bus = QDBusConnection::sessionBus();
  if (!bus.isConnected() || !bus.interface()->isServiceRegistered(service)) return false;
  auto call = QDBusMessage::createMethodCall(service, object, service, "open");
  call << files;
  return bus.call(call, QDBus::Block, answers_within_ms).type() == QDBusMessage::ReplyMessage;
}

OneInstance::OneInstance(std::function<void(const QStringList&)> open, QObject* parent)
    : QObject(parent), open_(std::move(open)) {
  auto bus = QDBusConnection::sessionBus();
  if (!bus.isConnected() || !bus.registerService(service)) return;
  bus.registerObject(object, this, QDBusConnection::ExportAllSlots);
}

// Whoever asks is answered first: what opens may ask something itself.
void OneInstance::open(const QStringList& files) {
  QTimer::singleShot(0, this, [this, files] { open_(files); });
}

}  // namespace drevan::desktop
