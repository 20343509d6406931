// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong in this session, and what to do about it.
#pragma once

#include <QDateTime>
#include <QDialog>

#include "audio/error.h"

class QLabel;
class QListWidget;

namespace drevan::desktop {

struct Trouble {
  QDateTime when;
  Problem what;
};

class TroubleSheet : public QDialog {
  Q_OBJECT

 public:
  /// The newest last; that one is shown.
  explicit TroubleSheet(const QList<Trouble>& troubles, QWidget* parent = nullptr);

 Q_SIGNALS:
  /// The manual is to be opened there.
  void chapter_wanted(const QString& heading);

 private:
  void show_one(int row);

  QList<Trouble> troubles_;
  QListWidget* list_;
  QLabel *message_, *what_to_do_;
  QString chapter_;
};

}  // namespace drevan::desktop
