// SPDX-License-Identifier: GPL-3.0-or-later
// The level of an input, with the zone where the loudest words should be, and a lamp that counts.
#pragma once

#include <QElapsedTimer>
#include <QWidget>

namespace drevan::desktop {

class InputMeter : public QWidget {
  Q_OBJECT

 public:
  explicit InputMeter(const QString& name, QWidget* parent = nullptr);

  /// The highest sample since the last call, full scale 1; samples at full scale since cleared;
  /// whether there was nothing but digital silence for a second. Call some 25 times a second.
  void show_level(float peak, long clipped, bool silent);
  /// What the loudest words of the last seconds say: "too low", "good", "hot", "3 clipped".
  QString word() const;
  /// The highest peak of the last three seconds, dBFS.
  double held_db() const { return held_db_; }
  QSize sizeHint() const override { return {250, 18}; }

 Q_SIGNALS:
  /// It was clicked: the lamp counts anew.
  void cleared();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override { Q_EMIT cleared(); }

 private:
  QColor color() const;

  QString name_;
  double shown_db_ = -90, held_db_ = -90;
  long clipped_ = 0;
  bool silent_ = true;
  QElapsedTimer since_, held_since_;
};

}  // namespace drevan::desktop
