// One setting: label, bar, value. Drag the bar, turn the wheel, use the arrow keys, or click the
// value and type.
#pragma once

#include <QWidget>

#include "steps/step.h"

class QLineEdit;

namespace drevan::desktop {

class ValueSlider : public QWidget {
  Q_OBJECT

 public:
  explicit ValueSlider(const Parameter& parameter, QWidget* parent = nullptr);

  double value() const { return value_; }
  /// Shows a value without telling.
  void show_value(double value);
  const Parameter& parameter() const { return *parameter_; }
  /// Opens the value for typing.
  void begin_typing();

  QSize sizeHint() const override { return {290, 34}; }
  QSize minimumSizeHint() const override { return {220, 30}; }

 Q_SIGNALS:
  void changed(double value);
  /// A drag has ended: the next change is an undo step of its own.
  void settled();
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
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  QRectF bar() const;
  QRectF value_box() const;
  void set_to(double value);
  void nudge(double steps);
  void pick_choice();
  void finish_typing();

  const Parameter* parameter_;
  double value_;
  bool dragging_ = false;
  QLineEdit* entry_ = nullptr;
};

}  // namespace drevan::desktop
