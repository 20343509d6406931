// SPDX-License-Identifier: GPL-3.0-or-later
// The root of the interface's thread.
#pragma once

#include <QApplication>
#include <functional>

#include "audio/error.h"

namespace drevan::desktop {

/// Whatever is thrown while an event is handled becomes a message: the program goes on.
class Application : public QApplication {
  Q_OBJECT

 public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override;

  /// Called for each, when the event has been left. Nobody: it is printed.
  std::function<void(const Problem&)> failed;
};

}  // namespace drevan::desktop
