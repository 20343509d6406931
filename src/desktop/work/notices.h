// Sentences for the line that tells.
#pragma once

#include <QObject>
#include <exception>

namespace drevan::desktop {

class Notices : public QObject {
  Q_OBJECT

 public:
  using QObject::QObject;
  void tell(const QString& text) { Q_EMIT message(text, false); }
  void warn(const QString& text) { Q_EMIT message(text, true); }
  void warn(const std::exception& e) { warn(QString::fromUtf8(e.what())); }

 Q_SIGNALS:
  /// `failure` in the colour of attention.
  void message(const QString& text, bool failure);
};

}  // namespace drevan::desktop
