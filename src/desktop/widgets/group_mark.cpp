// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/group_mark.h"

#include <QCoreApplication>
#include <QIcon>
#include <QPixmap>

#include "theme/theme.h"

namespace drevan::desktop {

void draw_group_mark(QPainter& p, GroupMark mark, QPointF at, const QColor& color) {
  p.setPen(QPen(color, 1.6));
  p.setBrush(color);
  switch (mark) {
    case GroupMark::none:
      break;
    case GroupMark::dot:
      p.drawEllipse(at, 4, 4);
      break;
    case GroupMark::ring:
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(at, 4, 4);
      break;
    case GroupMark::square:
      p.drawRect(QRectF(at - QPointF(3.5, 3.5), QSizeF(7, 7)));
      break;
    case GroupMark::triangle:
      p.drawPolygon(QPolygonF{at + QPointF(-4, 4), at + QPointF(4, 4), at + QPointF(0, -4)});
      break;
    case GroupMark::diamond:
      p.drawPolygon(QPolygonF{at + QPointF(-5, 0), at + QPointF(0, 5), at + QPointF(5, 0),
                              at + QPointF(0, -5)});
      break;
    case GroupMark::cross:
      p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
      p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
      break;
    case GroupMark::bars:
      for (const double x : {-4.0, 0.0, 4.0}) p.drawLine(at + QPointF(x, -4), at + QPointF(x, 4));
      break;
  }
}

QIcon group_mark_icon(GroupMark mark) {
  QPixmap picture(16, 16);
  picture.fill(Qt::transparent);
  QPainter p(&picture);
  p.setRenderHint(QPainter::Antialiasing);
  draw_group_mark(p, mark, {8, 8}, theme().text);
  return QIcon(picture);
}

QString group_mark_name(GroupMark mark) {
  const char* names[] = {
      QT_TRANSLATE_NOOP("mark", "No mark"),  QT_TRANSLATE_NOOP("mark", "Dot"),
      QT_TRANSLATE_NOOP("mark", "Ring"),     QT_TRANSLATE_NOOP("mark", "Square"),
      QT_TRANSLATE_NOOP("mark", "Triangle"), QT_TRANSLATE_NOOP("mark", "Diamond"),
      QT_TRANSLATE_NOOP("mark", "Cross"),    QT_TRANSLATE_NOOP("mark", "Bars")};
  return QCoreApplication::translate("mark", names[static_cast<size_t>(mark)]);
}

}  // namespace drevan::desktop
