#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -72, highest = 6;
}

LevelsPicture::LevelsPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Levels before and after"));
  setToolTip(
      tr("<p>Peak, loudness and noise floor as they reach this step and as they leave it. Drag the "
         "dashed line up or down.</p>"));
}

double LevelsPicture::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.top() + r.height() * (highest - std::clamp(db, lowest, highest)) / (highest - lowest);
}
double LevelsPicture::db_at(double y) const {
  const QRectF r = plot_rect();
  return highest - (y - r.top()) / r.height() * (highest - lowest);
}

int LevelsPicture::held_parameter() const {
  const int target = parameter_index(*step()->type, "target_db");
  return target >= 0 ? target : parameter_index(*step()->type, "gain_db");
}

double LevelsPicture::goal_db() const {
  const int p = held_parameter();
  if (p < 0) return 0;
  const double value = settings()[static_cast<size_t>(p)];
  if (parameter_index(*step()->type, "target_db") == p) return value;
  // A gain is shown at the peak it leads to.
  const auto* levels = work_.measurements.levels();
  const int i = work_.selection.running_index(step_id_);
  if (!levels || i < 0 || i >= static_cast<int>(levels->stages.size())) return value;
  return levels->stages[static_cast<size_t>(i)].sample_peak_dbfs.value_or(0) + value;
}

QPointF LevelsPicture::goal_at() const { return {plot_rect().center().x(), y_of(goal_db())}; }

void LevelsPicture::draw_stage(QPainter& p, double x, const Levels& l, const QColor& color,
                               const QString& name) const {
  const Theme& t = theme();
  double free_y = 0;  // above it a label stands already
  if (l.sample_peak_dbfs) {
    const double top = y_of(*l.sample_peak_dbfs),
                 bottom = y_of(l.noise_floor_dbfs.value_or(lowest));
    p.setPen(Qt::NoPen);
    p.setBrush(faded(color, 0.42));
    p.drawRect(QRectF(x - 16, top, 32, bottom - top));
    p.setBrush(t.text);
    p.drawRect(QRectF(x - 20, top - 1.5, 40, 3));
    p.setPen(t.text);
    // Under the peak's line, so that the goal's line does not strike it through.
    free_y = top + 25;
    p.drawText(QPointF(x + 26, top + 13), tr("peak %1").arg(*l.sample_peak_dbfs, 0, 'f', 1));
  }
  if (l.loudness_lufs) {
    p.setPen(Qt::NoPen);
    p.setBrush(color);
    p.drawRect(QRectF(x - 16, y_of(*l.loudness_lufs) - 3, 32, 6));
    p.setPen(color);
    p.drawText(QPointF(x + 26, std::max(free_y, y_of(*l.loudness_lufs) + 4)),
               tr("%1 LUFS").arg(*l.loudness_lufs, 0, 'f', 1));
  }
  if (l.noise_floor_dbfs) {
    p.setPen(Qt::NoPen);
    p.setBrush(t.removed);
    p.drawRect(QRectF(x - 20, y_of(*l.noise_floor_dbfs) - 1, 40, 2));
    p.setPen(t.removed);
    p.drawText(QPointF(x + 26, y_of(*l.noise_floor_dbfs) + 4),
               tr("floor %1").arg(*l.noise_floor_dbfs, 0, 'f', 1));
  }
  p.setPen(t.quiet);
  p.drawText(QRectF(x - 40, plot_rect().bottom() + 2, 80, 14), Qt::AlignCenter, name);
}

void LevelsPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  draw_db_grid(p, r, -72, 0, 12, [this](double db) { return y_of(db); });
  const auto* levels = work_.measurements.levels();
  const int i = work_.selection.running_index(step_id_);
  if (levels && i >= 0 && i + 1 < static_cast<int>(levels->stages.size())) {
    draw_stage(p, r.left() + r.width() * 0.2, levels->stages[static_cast<size_t>(i)], t.before,
               tr("before"));
    draw_stage(p, r.left() + r.width() * 0.66, levels->stages[static_cast<size_t>(i) + 1], t.after,
               tr("after"));
  }
  if (held_parameter() < 0) return;
  p.setPen(QPen(t.attention, held_ ? 2 : 1, Qt::DashLine));
  p.drawLine(QPointF(r.left(), goal_at().y()), QPointF(r.right(), goal_at().y()));
}

void LevelsPicture::mousePressEvent(QMouseEvent* e) {
  if (held_parameter() < 0) return;
  held_ = true;
  // The line is held where it was touched: a click moves nothing.
  held_offset_ = goal_db() - db_at(e->position().y());
  if (std::abs(held_offset_) > 3) held_offset_ = 0;
  mouseMoveEvent(e);
}

void LevelsPicture::mouseMoveEvent(QMouseEvent* e) {
  setCursor(Qt::SizeVerCursor);
  const int index = held_parameter();
  if (!held_ || index < 0) return;
  const auto& parameter = step()->type->parameters[static_cast<size_t>(index)];
  const double wanted = db_at(e->position().y()) + held_offset_;
  const double value = settings()[static_cast<size_t>(index)] + wanted - goal_db();
  Q_EMIT changed(index, std::clamp(std::round(value * 2) / 2, parameter.least, parameter.most));
}

void LevelsPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
