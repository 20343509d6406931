// SPDX-License-Identifier: GPL-3.0-or-later
// One window: a second start hands its files to the first.
#pragma once

#include <QObject>
#include <QStringList>
#include <functional>

namespace drevan::desktop {

/// Hands files to a Drevan of the same user that runs already; an empty list brings its window to
/// the front. Paths must be absolute. False: there is none, or it does not answer.
bool hand_over(const QStringList& files);

/// Takes the files of later starts, on the session's bus; without a bus there is none to take.
class OneInstance : public QObject {
  Q_OBJECT
  Q_CLASSINFO("D-Bus Interface", "org.drevan.Drevan")

 public:
  explicit OneInstance(std::function<void(const QStringList&)> open, QObject* parent = nullptr);

 public Q_SLOTS:
  // From the bus.
  void open(const QStringList& files);

 private:
  std::function<void(const QStringList&)> open_;
};

}  // namespace drevan::desktop
