// SPDX-License-Identifier: GPL-3.0-or-later
// Under the waveform: how one setting of the selected step changes over time, drawn as points on a
// line.
#pragma once

#include <QWidget>
#include <optional>

#include "steps/curve_edit.h"
#include "widgets/time_view.h"
#include "work/curve_clock.h"
#include "work/open_reel.h"

class QLabel;
class QLineEdit;
class QToolButton;

namespace drevan::desktop {

class CurveLane : public QWidget {
  Q_OBJECT

 public:
  /// Its time lies under `time`'s; to be updated when that shows another.
  CurveLane(const Work& work, const TimeView& time, QWidget* parent = nullptr);

  /// Shows a setting of the selected step, or on_parameter; whether it follows a curve already does
  /// not matter.
  void show_parameter(int parameter);
  /// Empty: nothing is shown.
  std::optional<int> parameter() const { return parameter_; }
  void close();
  /// Whether turning a slider while it plays is to be written into its curve.
  bool keeps_turns() const;
  void show_playhead(double clip_s);

  /// Where point `i` is drawn; for tests.
  QPointF point_at(size_t i) const;
  /// Where a moment of the clip and a value are drawn; for tests.
  QPointF place_of(double clip_s, double value) const;
  QToolButton& keep_button() { return *keep_; }
  QSize minimumSizeHint() const override { return {200, 72}; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void contextMenuEvent(QContextMenuEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  bool event(QEvent* e) override;
  bool eventFilter(QObject* of, QEvent* e) override;

 private:
  void make_head();
  void follow();
  void show_facts();
  void fill_menu();
  QRectF plot_rect() const;
  double y_of(double value) const;
  double value_at_y(double y) const;
  const Parameter& shown() const;
  /// The curve of the shown setting, or a line through its value.
  Curve curve() const;
  bool has_curve() const;
  int point_near(QPointF at) const;
  void draw_curve(QPainter& p, const Curve& curve) const;
  void draw_points(QPainter& p, const Curve& curve) const;
  void apply(std::optional<Curve> curve);
  void move_point(double by_s, double by_fraction);
  void go_to_point(int by);
  void remove_point();
  void set_shape(CurveShape shape);
  void begin_typing();
  void finish_typing();
  void end_typing();

  const Work& work_;
  const TimeView& time_;
  StepId step_ = 0;
  std::optional<int> parameter_;
  CurveClock clock_;
  double playhead_s_ = 0;
  int point_ = -1;  // the selected one
  bool held_ = false, closed_ = false;
  Grab grab_;         // the clip in whose path a point is held
  Curve held_curve_;  // as the hand left it: where it is another one, the point is no longer held
  QPointF held_at_;
  double held_s_ = 0, held_fraction_ = 0;  // of the held point, before it is kept in range
  QToolButton *name_, *keep_, *remove_, *close_;
  QLabel* facts_;
  QLineEdit* entry_ = nullptr;
};

}  // namespace drevan::desktop
