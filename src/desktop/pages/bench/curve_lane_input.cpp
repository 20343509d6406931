// SPDX-License-Identifier: GPL-3.0-or-later
// Mouse and keys in the curve lane.
#include <QContextMenuEvent>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QToolButton>

#include "pages/bench/curve_lane.h"
#include "widgets/claim_keys.h"
#include "widgets/typed_value.h"
#include "work/document.h"
#include "work/notices.h"
#include "work/selection.h"

namespace drevan::desktop {

void CurveLane::apply(std::optional<Curve> curve) {
  if (curve) held_curve_ = *curve;
  work_.document.change([&](const Reel& reel) {
    return edits::set_curve(reel, work_.selection.clip_id(), step_, *parameter_, std::move(curve));
  });
}

void CurveLane::mousePressEvent(QMouseEvent* e) {
  if (!parameter_ || e->button() != Qt::LeftButton) return;
  end_typing();
  work_.document.end_merge();
  point_ = point_near(e->position());
  if (point_ < 0) {
    // The line that stood still becomes the curve's first point where it is clicked.
    const double s = clock_.curve_s(time_.seconds_at(e->position().x()));
    const Curve next =
        with_point(has_curve() ? curve() : Curve{}, shown(), s, value_at_y(e->position().y()));
    point_ = static_cast<int>(nearest_point(next, s));
    apply(next);
    if (!has_curve()) return;  // told already
  }
  const CurvePoint at = curve().points[static_cast<size_t>(point_)];
  held_ = true;
  held_curve_ = curve();
  grab_ = Grab::of_clip(work_.document, work_.selection.clip_id());
  held_at_ = e->position();
  held_s_ = clock_.clip_s(at.s);
  held_fraction_ = to_fraction(shown(), at.value);
  update();
}

void CurveLane::mouseMoveEvent(QMouseEvent* e) {
  if (!held_) {
    setCursor(point_near(e->position()) >= 0 ? Qt::SizeAllCursor : Qt::ArrowCursor);
    return;
  }
  const QPointF by = (e->position() - held_at_) * (e->modifiers() & Qt::ShiftModifier ? 0.1 : 1);
  held_at_ = e->position();
  move_point(by.x() / std::max(1, width()) * time_.view_length(), -by.y() / plot_rect().height());
  if (held_) held_curve_ = curve();
}

void CurveLane::move_point(double by_s, double by_fraction) {
  if (point_ < 0 || !has_curve()) return;
  held_s_ += by_s;
  held_fraction_ += by_fraction;
  apply(with_moved_point(curve(), static_cast<size_t>(point_), clock_.curve_s(held_s_),
                         from_fraction(shown(), held_fraction_)));
}

void CurveLane::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) work_.document.end_merge();
}

void CurveLane::mouseDoubleClickEvent(QMouseEvent* e) {
  point_ = point_near(e->position());
  if (point_ >= 0) begin_typing();
}

void CurveLane::contextMenuEvent(QContextMenuEvent* e) {
  if (e->reason() == QContextMenuEvent::Mouse) point_ = point_near(e->pos());
  if (point_ < 0) return;
  update();
  QMenu menu(this);
  menu.setObjectName("point_menu");
  connect(menu.addAction(tr("Value ...")), &QAction::triggered, this, &CurveLane::begin_typing);
  menu.addSeparator();
  const CurvePoint at = curve().points[static_cast<size_t>(point_)];
  const std::pair<CurveShape, QString> shapes[] = {{CurveShape::line, tr("Straight to the next")},
                                                   {CurveShape::smooth, tr("Smoothly to the next")},
                                                   {CurveShape::hold, tr("Holds until the next")}};
  for (const auto& [shape, label] : shapes) {
    QAction* a = menu.addAction(label);
    a->setCheckable(true);
    a->setChecked(at.shape == shape);
    a->setEnabled(shape == CurveShape::hold || !only_holds(shown()));
    connect(a, &QAction::triggered, this, [this, s = shape] { set_shape(s); });
  }
  menu.addSeparator();
  connect(menu.addAction(tr("Remove point")), &QAction::triggered, this, &CurveLane::remove_point);
  menu.exec(e->globalPos());
}

void CurveLane::set_shape(CurveShape shape) {
  if (point_ < 0 || !has_curve()) return;
  Curve next = curve();
  next.points[static_cast<size_t>(point_)].shape = shape;
  work_.document.end_merge();
  apply(next);
  work_.document.end_merge();
}

void CurveLane::remove_point() {
  if (point_ < 0 || !has_curve()) return;
  work_.document.end_merge();
  apply(without_point(curve(), static_cast<size_t>(std::exchange(point_, -1))));
  work_.document.end_merge();
}

void CurveLane::go_to_point(int by) {
  if (!has_curve()) return;
  const auto last = static_cast<int>(curve().points.size()) - 1;
  point_ = point_ < 0 ? (by > 0 ? 0 : last) : std::clamp(point_ + by, 0, last);
  update();
}

// With Shift, arrows are shortcuts of the window.
bool CurveLane::event(QEvent* e) {
  return claim_keys(e, {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Insert,
                        Qt::Key_Delete, Qt::Key_Backspace}) ||
         QWidget::event(e);
}

void CurveLane::keyPressEvent(QKeyEvent* e) {
  if (!parameter_) return QWidget::keyPressEvent(e);
  const bool fine = e->modifiers() & Qt::ShiftModifier;
  const bool choose = e->modifiers() & Qt::ControlModifier;
  const auto move = [&](double x, double y) {
    if (point_ < 0 || !has_curve()) return;
    const CurvePoint at = curve().points[static_cast<size_t>(point_)];
    held_s_ = clock_.clip_s(at.s);
    held_fraction_ = to_fraction(shown(), at.value);
    const double one = only_holds(shown()) ? 1 / std::max(1.0, shown().most) : fine ? 0.002 : 0.01;
    move_point(x * time_.view_length() * (fine ? 0.0005 : 0.005), y * one);
    work_.document.end_merge();
  };
  switch (e->key()) {
    case Qt::Key_Left:
      choose ? go_to_point(-1) : move(-1, 0);
      break;
    case Qt::Key_Right:
      choose ? go_to_point(1) : move(1, 0);
      break;
    case Qt::Key_Up:
      move(0, 1);
      break;
    case Qt::Key_Down:
      move(0, -1);
      break;
    case Qt::Key_Insert: {
      const double s = clock_.curve_s(playhead_s_);
      const Curve now = curve();
      work_.document.end_merge();
      apply(with_point(has_curve() ? now : Curve{}, shown(), s, value_at(now, shown(), s)));
      work_.document.end_merge();
      point_ = static_cast<int>(nearest_point(curve(), s));
      break;
    }
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
      remove_point();
      break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      begin_typing();
      break;
    case Qt::Key_Escape:
      point_ = -1;
      break;
    default:
      return QWidget::keyPressEvent(e);
  }
  update();
}

void CurveLane::begin_typing() {
  if (entry_ || point_ < 0 || !has_curve()) return;
  held_ = false;
  entry_ = new QLineEdit(this);
  entry_->setObjectName("entry");
  const QPointF at = point_at(static_cast<size_t>(point_));
  entry_->setGeometry(static_cast<int>(std::clamp(at.x() + 9, 0.0, width() - 84.0)),
                      static_cast<int>(std::clamp(at.y() - 12, 0.0, height() - 24.0)), 84, 24);
  const double value = curve().points[static_cast<size_t>(point_)].value;
  entry_->setText(only_holds(shown()) ? QString::fromStdString(value_text(shown(), value))
                                      : QString::number(std::round(value * 1000) / 1000));
  entry_->selectAll();
  entry_->show();
  entry_->setFocus();
  entry_->installEventFilter(this);
  connect(entry_, &QLineEdit::editingFinished, this, &CurveLane::finish_typing);
}

// Return and Escape end here: passed on, they would open the value again.
bool CurveLane::eventFilter(QObject* of, QEvent* e) {
  if (of != entry_ || e->type() != QEvent::KeyPress) return QWidget::eventFilter(of, e);
  const int key = static_cast<QKeyEvent*>(e)->key();
  if (key != Qt::Key_Return && key != Qt::Key_Enter && key != Qt::Key_Escape) return false;
  key == Qt::Key_Escape ? end_typing() : finish_typing();
  setFocus();
  return true;
}

void CurveLane::finish_typing() {
  if (!entry_) return;
  const QString typed = entry_->text();
  end_typing();
  if (point_ < 0 || !has_curve()) return;
  QString why;
  const auto value = typed_value(shown(), typed, &why);
  if (!value) return work_.notices.warn(why);
  Curve next = curve();
  next.points[static_cast<size_t>(point_)].value = *value;
  work_.document.end_merge();
  apply(next);
  work_.document.end_merge();
}

void CurveLane::end_typing() {
  if (entry_) std::exchange(entry_, nullptr)->deleteLater();
  update();
}

}  // namespace drevan::desktop
