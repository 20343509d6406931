// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/value_slider.h"

#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <cmath>

#include "theme/theme.h"
#include "widgets/claim_keys.h"
#include "widgets/typed_value.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {
constexpr int label_width = 80;
constexpr int value_width = 72;
}  // namespace

ValueSlider::ValueSlider(const Parameter& parameter, QWidget* parent)
    : QWidget(parent), parameter_(&parameter), value_(parameter.standard) {
  wheel_.setSingleShot(true);
  wheel_.setInterval(700);
  connect(&wheel_, &QTimer::timeout, this, &ValueSlider::settled);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName(text(parameter.label));
  setAccessibleDescription(text(parameter.help));
  setToolTip(QString("<p>%1</p><p>Drag, turn the wheel or use the arrow keys; Shift moves finely. "
                     "Click the value to type it. Double-click for the standard, %2.</p>")
                 .arg(text(parameter.help),
                      QString::fromStdString(value_text(parameter, parameter.standard))));
  setCursor(Qt::PointingHandCursor);
}

void ValueSlider::show_value(double value) {
  if (value == value_) return;
  value_ = value;
  update();
}

QRectF ValueSlider::bar() const {
  return {label_width, height() / 2.0 - 5,
          std::max(40.0, width() - label_width - value_width - 12.0), 10};
}

QRectF ValueSlider::value_box() const {
  return {width() - value_width - 2.0, 2, value_width, height() - 4.0};
}

void ValueSlider::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setPen(t.quiet);
  p.drawText(QRectF(0, 0, label_width - 8, height()), Qt::AlignVCenter, text(parameter_->label));
  const auto value = QString::fromStdString(value_text(*parameter_, value_));
  if (parameter_->scale == Scale::choice) {
    const QRectF box(label_width, height() / 2.0 - 12, width() - label_width - 2.0, 24);
    p.setPen(QPen(hasFocus() ? t.attention : t.line, 1));
    p.setBrush(t.window);
    p.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    p.setPen(t.text);
    p.drawText(box.adjusted(9, 0, -18, 0), Qt::AlignVCenter, value);
    const QPointF c(box.right() - 12, box.center().y());
    p.setPen(Qt::NoPen);
    p.setBrush(t.quiet);
    p.drawPolygon(QPolygonF{{c.x() - 4, c.y() - 2}, {c.x() + 4, c.y() - 2}, {c.x(), c.y() + 3}});
    p.setPen(QPen(t.attention, 1.5));
    if (range_) p.drawLine(box.bottomLeft() + QPointF(6, 2), box.bottomRight() + QPointF(-6, 2));
    return;
  }
  const QRectF b = bar();
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(b, 5, 5);
  const bool off = parameter_->off_at && value_ == *parameter_->off_at;
  const double f = to_fraction(*parameter_, value_);
  // Ranges that reach to both sides of zero fill from zero.
  const double zero =
      parameter_->least < 0 && parameter_->most > 0 ? to_fraction(*parameter_, 0) : 0.0;
  const double left = b.left() + b.width() * std::min(f, zero);
  const double right = b.left() + b.width() * std::max(f, zero);
  p.setBrush(off ? t.line : t.after);
  p.drawRoundedRect(QRectF(left, b.top(), std::max(right - left, 3.0), b.height()), 5, 5);
  if (range_) draw_range(p);
  if (hasFocus()) {
    p.setPen(QPen(t.attention, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(b.adjusted(-2, -2, 2, 2), 7, 7);
  }
  if (!entry_) {
    p.setPen(off ? t.quiet : t.text);
    p.drawText(value_box(), Qt::AlignVCenter | Qt::AlignLeft, value);
  }
}

// From where to where the curve goes.
void ValueSlider::draw_range(QPainter& p) const {
  const QRectF b = bar();
  const double from = b.left() + b.width() * to_fraction(*parameter_, range_->least);
  const double to = b.left() + b.width() * to_fraction(*parameter_, range_->most);
  p.setPen(QPen(theme().attention, 1.5));
  p.drawLine(QPointF(from, b.bottom() + 3), QPointF(to, b.bottom() + 3));
  for (const double x : {from, to})
    p.drawLine(QPointF(x, b.bottom() + 1), QPointF(x, b.bottom() + 5));
}

void ValueSlider::set_to(double value) {
  value = std::clamp(value, parameter_->least, parameter_->most);
  if (value == value_) return;
  value_ = value;
  update();
  Q_EMIT changed(value_);
}

void ValueSlider::pick_choice() {
  QMenu menu(this);
  for (size_t i = 0; i < parameter_->choices.size(); ++i) {
    QAction* a = menu.addAction(text(parameter_->choices[i].label));
    a->setCheckable(true);
    a->setChecked(static_cast<double>(i) == value_);
    a->setData(static_cast<int>(i));
  }
  if (const QAction* a = menu.exec(mapToGlobal(QPoint(label_width, height())))) {
    set_to(a->data().toInt());
    Q_EMIT settled();
  }
}

void ValueSlider::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  if (parameter_->scale == Scale::choice) return pick_choice();
  if (value_box().contains(e->position())) return begin_typing();
  dragging_ = true;
  mouseMoveEvent(e);
}

void ValueSlider::mouseMoveEvent(QMouseEvent* e) {
  if (!dragging_) return;
  const QRectF b = bar();
  set_to(from_fraction(*parameter_, (e->position().x() - b.left()) / b.width()));
}

void ValueSlider::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(dragging_, false)) Q_EMIT settled();
}

void ValueSlider::mouseDoubleClickEvent(QMouseEvent* e) {
  if (value_box().contains(e->position()) || parameter_->scale == Scale::choice) return;
  set_to(parameter_->standard);
  Q_EMIT settled();
}

void ValueSlider::nudge(double steps) {
  if (parameter_->scale == Scale::choice) return set_to(std::round(value_ + (steps > 0 ? 1 : -1)));
  if (parameter_->scale == Scale::logarithmic)
    return set_to(from_fraction(*parameter_, to_fraction(*parameter_, value_) + steps * 0.01));
  // A half dB, a ms, a per cent: steps people count in.
  const double size =
      parameter_->unit == "dB" ? 0.5 : std::max(1.0, (parameter_->most - parameter_->least) / 100);
  set_to(std::round((value_ + steps * size) * 100) / 100);
}

void ValueSlider::wheelEvent(QWheelEvent* e) {
  const bool fine = e->modifiers() & Qt::ShiftModifier;
  const auto delta = e->angleDelta().y() != 0 ? e->angleDelta().y() : e->angleDelta().x();
  nudge(delta / 120.0 * (fine ? 0.2 : 1));
  wheel_.start();
  e->accept();
}

// With Shift, arrows are shortcuts of the window.
bool ValueSlider::event(QEvent* e) {
  return claim_keys(e, {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down}) ||
         QWidget::event(e);
}

void ValueSlider::keyPressEvent(QKeyEvent* e) {
  const double step = e->modifiers() & Qt::ShiftModifier ? 0.2 : 1;
  switch (e->key()) {
    case Qt::Key_Left:
    case Qt::Key_Down:
      nudge(-step);
      break;
    case Qt::Key_Right:
    case Qt::Key_Up:
      nudge(step);
      break;
    case Qt::Key_PageDown:
      nudge(-10);
      break;
    case Qt::Key_PageUp:
      nudge(10);
      break;
    case Qt::Key_Home:
      set_to(parameter_->least);
      break;
    case Qt::Key_End:
      set_to(parameter_->most);
      break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      parameter_->scale == Scale::choice ? pick_choice() : begin_typing();
      break;
    default:
      QWidget::keyPressEvent(e);
      return;
  }
  Q_EMIT settled();
}

void ValueSlider::begin_typing() {
  if (entry_) return;
  entry_ = new QLineEdit(this);
  entry_->setObjectName("entry");
  entry_->setGeometry(value_box().toRect());
  entry_->setText(QString::number(std::round(value_ * 1000) / 1000));
  entry_->selectAll();
  entry_->show();
  entry_->setFocus();
  entry_->installEventFilter(this);
  connect(entry_, &QLineEdit::editingFinished, this, &ValueSlider::finish_typing);
  if (may_follow_curve(*parameter_)) offer_over_time();
  update();
}

// Beside the value that is typed, over the end of the bar.
void ValueSlider::offer_over_time() {
  over_time_ = new QToolButton(this);
  over_time_->setText(tr("over time"));
  over_time_->setObjectName("over_time");
  over_time_->setToolTip(tr("Lets it follow a curve, drawn under the waveform"));
  // The keys stay with the entry, so that a click does not end it first.
  over_time_->setFocusPolicy(Qt::NoFocus);
  const QSize size = over_time_->sizeHint();
  over_time_->setGeometry(static_cast<int>(value_box().left()) - size.width() - 6,
                          (height() - size.height()) / 2, size.width(), size.height());
  over_time_->show();
  connect(over_time_, &QToolButton::clicked, this, [this] {
    if (entry_) end_typing();
    setFocus();
    Q_EMIT over_time_wanted();
  });
}

void ValueSlider::show_range(std::optional<ValueRange> range) {
  range_ = range;
  update();
}

void ValueSlider::contextMenuEvent(QContextMenuEvent* e) {
  if (!may_follow_curve(*parameter_)) return;
  QMenu menu(this);
  connect(menu.addAction(range_ ? tr("Show its curve") : tr("Over time")), &QAction::triggered,
          this, &ValueSlider::over_time_wanted);
  menu.exec(e->globalPos());
}

// Return and Escape end here: passed on, they would open the value again, or close what it stands in.
bool ValueSlider::eventFilter(QObject* of, QEvent* e) {
  if (of != entry_ || e->type() != QEvent::KeyPress) return QWidget::eventFilter(of, e);
  const int key = static_cast<QKeyEvent*>(e)->key();
  if (key != Qt::Key_Return && key != Qt::Key_Enter && key != Qt::Key_Escape) return false;
  if (key == Qt::Key_Escape)
    end_typing();
  else
    finish_typing();
  setFocus();
  update();
  return true;
}

void ValueSlider::end_typing() {
  std::exchange(entry_, nullptr)->deleteLater();
  if (over_time_) std::exchange(over_time_, nullptr)->deleteLater();
  update();
}

void ValueSlider::finish_typing() {
  if (!entry_) return;
  const QString typed = entry_->text();
  end_typing();
  QString why;
  const auto value = typed_value(*parameter_, typed, &why);
  if (!value) {
    Q_EMIT refused(why);
    return;
  }
  set_to(*value);
  Q_EMIT settled();
}

}  // namespace drevan::desktop
