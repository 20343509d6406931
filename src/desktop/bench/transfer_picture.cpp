#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "bench/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -60;
}

TransferPicture::TransferPicture(Workspace& workspace, StepPlace place, QWidget* parent)
    : StepPicture(workspace, place, parent) {
  setAccessibleName(tr("Transfer curve"));
  setToolTip(tr("<p>Level out over level in, dB. Drag the dashed line to set the threshold, drag the "
                "curve above it to set the ratio. The dot is the level now, the bar what is taken.</p>"));
}

int TransferPicture::parameter(const char* id) const { return parameter_index(*step()->type, id); }

QRectF TransferPicture::plot_rect() const { return StepPicture::plot_rect().adjusted(0, 0, -46, 0); }
double TransferPicture::x_of(double db) const {
  const QRectF r = plot_rect();
  return r.left() + r.width() * (std::clamp(db, lowest, 0.0) - lowest) / -lowest;
}
double TransferPicture::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.bottom() - r.height() * (std::clamp(db, lowest, 6.0) - lowest) / (6 - lowest);
}

QPointF TransferPicture::threshold_at() const {
  return {x_of(step()->settings[static_cast<size_t>(parameter("threshold_db"))]), plot_rect().center().y()};
}

void TransferPicture::live(std::span<const float> readings, std::span<const float>, std::span<const float>) {
  is_live_ = readings.size() >= 2;
  level_db_ = is_live_ ? static_cast<double>(readings[0]) : -200;
  reduction_db_ = is_live_ ? static_cast<double>(readings[1]) : 0;
  update();
}

void TransferPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  for (int db = -48; db <= 0; db += 12) {
    p.setPen(QPen(faded(t.line, 0.5), 1));
    p.drawLine(QPointF(x_of(db), r.top()), QPointF(x_of(db), r.bottom()));
    p.drawLine(QPointF(r.left(), y_of(db)), QPointF(r.right(), y_of(db)));
    p.setPen(t.quiet);
    p.drawText(QRectF(0, y_of(db) - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
    p.drawText(QRectF(x_of(db) - 16, r.bottom() + 2, 32, 14), Qt::AlignCenter, QString::number(db));
  }
  p.setClipRect(r);
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(x_of(lowest), y_of(lowest)), QPointF(x_of(0), y_of(0)));
  QPolygonF curve;
  for (double db = lowest; db <= 0; db += 0.5) curve << QPointF(x_of(db), y_of(s->type->transfer_db(s->settings, db)));
  p.setPen(QPen(s->on ? t.after : t.quiet, 2.2));
  p.drawPolyline(curve);
  p.setClipping(false);
  const double x = threshold_at().x();
  p.setPen(QPen(t.attention, held_ == parameter("threshold_db") ? 2 : 1, Qt::DashLine));
  p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
  if (is_live_ && level_db_ > lowest) {
    p.setPen(QPen(t.window, 1));
    p.setBrush(t.text);
    p.drawEllipse(QPointF(x_of(level_db_), y_of(level_db_ - reduction_db_)), 5, 5);
  }
  // Gain reduction, from the top down.
  const QRectF bar(r.right() + 14, r.top(), 22, r.height());
  p.setPen(Qt::NoPen);
  p.setBrush(t.window);
  p.drawRoundedRect(bar, 4, 4);
  const double taken = std::clamp(reduction_db_ / 24, 0.0, 1.0) * bar.height();
  p.setBrush(t.attention);
  if (taken > 0.5) p.drawRoundedRect(QRectF(bar.left(), bar.top(), bar.width(), taken), 4, 4);
  p.setPen(t.attention);
  p.drawText(QRectF(bar.left() - 12, bar.bottom() + 2, bar.width() + 24, 14), Qt::AlignCenter,
             QString::number(reduction_db_ > 0.05 ? -reduction_db_ : 0.0, 'f', 1));
}

void TransferPicture::mousePressEvent(QMouseEvent* e) {
  const double x = threshold_at().x();
  // Near the line: the threshold; right of it: the curve above it.
  held_ = e->position().x() < x + 9 ? parameter("threshold_db") : parameter("ratio");
  mouseMoveEvent(e);
}

void TransferPicture::mouseMoveEvent(QMouseEvent* e) {
  const QRectF r = plot_rect();
  if (held_ < 0) {
    setCursor(e->position().x() > threshold_at().x() + 9 ? Qt::SizeVerCursor : Qt::SizeHorCursor);
    return;
  }
  const auto& p = step()->type->parameters[static_cast<size_t>(held_)];
  const double in = lowest + (e->position().x() - r.left()) / r.width() * -lowest;
  if (held_ == parameter("threshold_db")) {
    Q_EMIT changed(held_, std::clamp(std::round(in * 2) / 2, p.least, p.most));
    return;
  }
  // The ratio whose line from the threshold passes through the pointer.
  const auto& s = step()->settings;
  const double threshold = s[static_cast<size_t>(parameter("threshold_db"))];
  const double make_up = parameter("make_up_db") >= 0 ? s[static_cast<size_t>(parameter("make_up_db"))] : 0;
  const double out = lowest + (r.bottom() - e->position().y()) / r.height() * (6 - lowest) - make_up;
  const double rise = std::max(out - threshold, 1e-3);
  Q_EMIT changed(held_, std::clamp(std::round((in - threshold) / rise * 10) / 10, p.least, p.most));
}

void TransferPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, -1) >= 0) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
