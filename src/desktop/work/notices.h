// SPDX-License-Identifier: GPL-3.0-or-later
// Sentences for the line that tells.
#pragma once

#include <QObject>
#include <exception>

#include "audio/error.h"

namespace drevan::desktop {

class Notices : public QObject {
  Q_OBJECT

 public:
  using QObject::QObject;
  void tell(const QString& text) { Q_EMIT message(text, false, {}); }
  /// What something went wrong by, or why what was asked for was not done.
  void warn(const Problem& p) { Q_EMIT message(QString::fromStdString(p.text), true, p); }
  void warn(const QString& text, Cause cause = Cause::request) {
    warn(Problem{text.toStdString(), cause, {}});
  }
  void warn(const std::exception& e) { warn(problem_of(e)); }

 Q_SIGNALS:
  /// `failure` in the colour of attention; then `why` says what it came from.
  void message(const QString& text, bool failure, const drevan::Problem& why);
};

}  // namespace drevan::desktop
