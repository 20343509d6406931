// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness of what is heard, in numbers that do not jump about.
#pragma once

#include <QWidget>

#include "measure/programme_meter.h"

namespace drevan::desktop {

class LoudnessReadout : public QWidget {
  Q_OBJECT

 public:
  explicit LoudnessReadout(QWidget* parent = nullptr);

  void show_readings(const ProgrammeMeter::Readings& readings);
  const ProgrammeMeter::Readings& shown() const { return shown_; }
  QSize sizeHint() const override { return {214, 40}; }
  QSize minimumSizeHint() const override { return {214, 36}; }

 Q_SIGNALS:
  void cleared();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override { Q_EMIT cleared(); }

 private:
  ProgrammeMeter::Readings shown_;
};

}  // namespace drevan::desktop
