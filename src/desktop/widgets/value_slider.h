// SPDX-License-Identifier: GPL-3.0-or-later
// One setting: label, bar, value. Drag the bar, turn the wheel, use the arrow keys, or click the
// value and type.
#pragma once

#include <QTimer>
#include <QWidget>
#include <optional>

#include "steps/curve_edit.h"

class QLineEdit;
class QToolButton;

namespace drevan::desktop {

class ValueSlider : public QWidget {
  Q_OBJECT

 public:
  explicit ValueSlider(const Parameter& parameter, QWidget* parent = nullptr);

  double value() const { return value_; }
  /// Shows a value without telling.
  void show_value(double value);
  const Parameter& parameter() const { return *parameter_; }
  /// The value follows a curve between these; empty: it stands still.
  void show_range(std::optional<ValueRange> range);
  /// Whether it is being dragged.
  bool held() const { return dragging_; }
  /// Opens the value for typing.
  void begin_typing();

  QSize sizeHint() const override { return {290, 34}; }
  QSize minimumSizeHint() const override { return {200, 30}; }

 Q_SIGNALS:
  void changed(double value);
  /// A drag has ended: the next change is an undo step of its own.
  void settled();
  /// The value is to follow a curve, or its curve is to be shown.
  void over_time_wanted();
  /// What was typed cannot be used, with the reason.
  void refused(const QString& why);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  bool event(QEvent* e) override;
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  QRectF bar() const;
  QRectF value_box() const;
  void set_to(double value);
  void nudge(double steps);
  void pick_choice();
  void finish_typing();
  void end_typing();
  void offer_over_time();
  void draw_range(QPainter& p) const;

  const Parameter* parameter_;
  double value_;
  bool dragging_ = false;
  QLineEdit* entry_ = nullptr;
  QToolButton* over_time_ = nullptr;
  std::optional<ValueRange> range_;
  QTimer wheel_;  // the wheel has come to rest when it ends
};

}  // namespace drevan::desktop
