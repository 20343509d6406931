#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -60;
}

TransferPicture::TransferPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Transfer curve"));
  setToolTip(
      tr("<p>Level out over level in, dB. Drag the dashed line to set the threshold or the "
         "ceiling, drag the curve where it bends to set how much. The dot is the level now, the "
         "bar what is taken.</p>"));
}

int TransferPicture::parameter(const char* id) const { return parameter_index(*step()->type, id); }

QRectF TransferPicture::plot_rect() const {
  return StepPicture::plot_rect().adjusted(0, 0, -46, 0);
}
double TransferPicture::x_of(double db) const {
  const QRectF r = plot_rect();
  return r.left() + r.width() * (std::clamp(db, lowest, 0.0) - lowest) / -lowest;
}
double TransferPicture::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.bottom() - r.height() * (std::clamp(db, lowest, 6.0) - lowest) / (6 - lowest);
}

double TransferPicture::setting(const char* id) const {
  const int i = parameter(id);
  return i < 0 ? 0 : settings()[static_cast<size_t>(i)];
}

// The line across the picture: a threshold stands, a ceiling lies.
bool TransferPicture::has_ceiling() const { return parameter("ceiling_db") >= 0; }
int TransferPicture::line_parameter() const {
  return parameter(has_ceiling() ? "ceiling_db" : "threshold_db");
}
// A curve without a line bends everywhere: it is held as a whole.
bool TransferPicture::has_line() const { return line_parameter() >= 0; }

// Whether the curve leaves the straight line below its threshold: an expander.
bool TransferPicture::bends_below() const {
  const double at = setting("threshold_db") - 1;
  return !has_ceiling() && step()->type->transfer_db(settings(), at) < at - 0.1 &&
         parameter("range_db") >= 0;
}

QPointF TransferPicture::threshold_at() const {
  if (!has_line()) return plot_rect().center();
  const double db = settings()[static_cast<size_t>(line_parameter())];
  if (has_ceiling()) return {plot_rect().center().x(), y_of(db)};
  return {x_of(db), plot_rect().center().y()};
}

void TransferPicture::live(std::span<const float> readings, std::span<const float>,
                           std::span<const float>) {
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
  draw_db_grid(p, r, -48, 0, 12, [this](double db) { return y_of(db); });
  for (int db = -48; db <= 0; db += 12) {
    p.setPen(QPen(faded(t.line, 0.5), 1));
    p.drawLine(QPointF(x_of(db), r.top()), QPointF(x_of(db), r.bottom()));
    p.setPen(t.quiet);
    p.drawText(QRectF(x_of(db) - 16, r.bottom() + 2, 32, 14), Qt::AlignCenter, QString::number(db));
  }
  p.setClipRect(r);
  p.setPen(QPen(t.line, 1));
  p.drawLine(QPointF(x_of(lowest), y_of(lowest)), QPointF(x_of(0), y_of(0)));
  QPolygonF curve;
  const Settings now = settings();
  for (double db = lowest; db <= 0; db += 0.5)
    curve << QPointF(x_of(db), y_of(s->type->transfer_db(now, db)));
  p.setPen(QPen(s->on ? t.after : t.quiet, 2.2));
  p.drawPolyline(curve);
  p.setClipping(false);
  const QPointF line = threshold_at();
  p.setPen(!has_line() ? QPen(Qt::NoPen)
                       : QPen(t.attention, held_ == line_parameter() ? 2 : 1, Qt::DashLine));
  if (has_ceiling())
    p.drawLine(QPointF(r.left(), line.y()), QPointF(r.right(), line.y()));
  else
    p.drawLine(QPointF(line.x(), r.top()), QPointF(line.x(), r.bottom()));
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

// The drive whose curve passes nearest to the pointer.
double TransferPicture::drive_through(double in, double out) const {
  Settings s = settings();
  const auto at = static_cast<size_t>(parameter("drive_db"));
  const auto& p = step()->type->parameters[at];
  double best = s[at], least = 1e9;
  for (double drive = p.least; drive <= p.most; drive += 0.5) {
    s.values[at] = drive;
    const double off = std::abs(step()->type->transfer_db(s, in) - out);
    if (off < least) least = off, best = drive;
  }
  return best;
}

// Near the line: the line. On the side where the curve bends: how much. Elsewhere the line, too.
int TransferPicture::parameter_at(QPointF at) const {
  const QPointF line = threshold_at();
  if (!has_line()) return parameter("drive_db");
  if (has_ceiling()) return at.y() > line.y() + 9 ? parameter("drive_db") : line_parameter();
  const bool bent = bends_below() ? at.x() < line.x() - 9 : at.x() > line.x() + 9;
  return bent && parameter("ratio") >= 0 ? parameter("ratio") : line_parameter();
}

void TransferPicture::mousePressEvent(QMouseEvent* e) {
  held_ = parameter_at(e->position());
  mouseMoveEvent(e);
}

void TransferPicture::mouseMoveEvent(QMouseEvent* e) {
  const QRectF r = plot_rect();
  if (held_ < 0) {
    const bool line = parameter_at(e->position()) == line_parameter();
    setCursor(line && has_line() && !has_ceiling() ? Qt::SizeHorCursor : Qt::SizeVerCursor);
    return;
  }
  const auto& p = step()->type->parameters[static_cast<size_t>(held_)];
  const double in = lowest + (e->position().x() - r.left()) / r.width() * -lowest;
  const double out = lowest + (r.bottom() - e->position().y()) / r.height() * (6 - lowest);
  double value = 0;
  if (has_line() && held_ == line_parameter()) {
    value = std::round((has_ceiling() ? out : in) * 2) / 2;
  } else if (held_ == parameter("drive_db")) {
    value = has_line() ? std::round((out - in) * 2) / 2 : drive_through(in, out);
  } else {
    // The ratio whose line from the threshold passes through the pointer.
    const double threshold = setting("threshold_db");
    const double from = threshold + setting("make_up_db");
    const double rise =
        (in - threshold) / std::copysign(std::max(std::abs(out - from), 1e-3), in - threshold);
    value = std::round((bends_below() ? 1 / std::max(rise, 1e-3) : rise) * 10) / 10;
  }
  Q_EMIT changed(held_, std::clamp(value, p.least, p.most));
}

void TransferPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, -1) >= 0) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
