// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/segmented.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "theme/theme.h"

namespace drevan::desktop {

Segmented::Segmented(std::vector<Part> parts, QWidget* parent)
    : QWidget(parent), parts_(std::move(parts)) {
  setFocusPolicy(Qt::StrongFocus);
  setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  QStringList all;
  for (const auto& part : parts_) all << part.label + ": " + part.tip;
  setToolTip(all.join("\n"));
}

QRectF Segmented::part_rect(int index) const {
  const double w = static_cast<double>(width()) / static_cast<double>(parts_.size());
  return {w * index, 0, w, static_cast<double>(height())};
}

void Segmented::set_current(int index) {
  current_ = index;
  update();
}

void Segmented::choose(int index) {
  if (index < 0 || index >= static_cast<int>(parts_.size()) || index == current_) return;
  set_current(index);
  Q_EMIT chosen(index);
}

void Segmented::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = theme();
  p.setPen(hasFocus() ? QPen(t.attention, 1) : QPen(Qt::NoPen));
  p.setBrush(t.window);
  p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 15, 15);
  for (int i = 0; i < static_cast<int>(parts_.size()); ++i) {
    const QRectF r = part_rect(i);
    const Part& part = parts_[static_cast<size_t>(i)];
    if (i == current_) {
      p.setPen(Qt::NoPen);
      p.setBrush(t.*part.role);
      p.drawRoundedRect(r.adjusted(1.5, 1.5, -1.5, -1.5), 13.5, 13.5);
    }
    p.setFont(i == current_ ? bold_font() : font());
    p.setPen(i == current_ ? t.window : t.*part.role);
    p.drawText(r, Qt::AlignCenter, part.label);
  }
}

void Segmented::mousePressEvent(QMouseEvent* e) {
  for (int i = 0; i < static_cast<int>(parts_.size()); ++i)
    if (part_rect(i).contains(e->position())) choose(i);
}

void Segmented::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Left)
    choose(current_ - 1);
  else if (e->key() == Qt::Key_Right)
    choose(current_ + 1);
  else
    QWidget::keyPressEvent(e);
}

bool Segmented::event(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QWidget::event(e);
  const auto* help = static_cast<QHelpEvent*>(e);
  for (int i = 0; i < static_cast<int>(parts_.size()); ++i)
    if (part_rect(i).contains(help->pos()))
      QToolTip::showText(help->globalPos(), parts_[static_cast<size_t>(i)].tip, this);
  return true;
}

}  // namespace drevan::desktop
