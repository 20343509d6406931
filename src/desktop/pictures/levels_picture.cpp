// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "work/measurements.h"

namespace drevan::desktop {

LevelsPicture::LevelsPicture(const Work& work, StepId id, const LevelsSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Levels before and after"),
                  tr("Peak, loudness and noise floor as they reach this step and as they leave it. "
                     "Drag the dashed line up or down."),
                  parent),
      spec_(spec) {}

LevelAxis LevelsPicture::axis() const { return {plot_rect(), -72, 6}; }

double LevelsPicture::line_above_value() const {
  const auto stage = measured_stage();
  if (!spec_.is_gain || !stage) return 0;
  return work_.measurements.levels()->stages[*stage].sample_peak_dbfs.value_or(0);
}

std::vector<Grip> LevelsPicture::grips() const {
  if (spec_.line < 0) return {};
  const double above = line_above_value();
  const double db = settings()[static_cast<size_t>(spec_.line)] + above;
  return {{.form = Grip::Form::level_line,
           .at = {plot_rect().center().x(), axis().within(db)},
           .reach = 12,
           .elsewhere = true,
           .drag =
               [this, above](QPointF at) {
                 return std::vector<DragValue>{{spec_.line, axis().db_at(at) - above, 0.5}};
               },
           .resets = {spec_.line}}};
}

void LevelsPicture::draw_stage(QPainter& p, double x, const Levels& l, const QColor& color,
                               const QString& name) const {
  const Theme& t = theme();
  const LevelAxis a = axis();
  double free_y = 0;  // above it a label stands already
  if (l.sample_peak_dbfs) {
    const double top = a.within(*l.sample_peak_dbfs);
    const double bottom = a.within(l.noise_floor_dbfs.value_or(a.least_db));
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
    const double y = a.within(*l.loudness_lufs);
    p.setPen(Qt::NoPen);
    p.setBrush(color);
    p.drawRect(QRectF(x - 16, y - 3, 32, 6));
    p.setPen(color);
    p.drawText(QPointF(x + 26, std::max(free_y, y + 4)),
               tr("%1 LUFS").arg(*l.loudness_lufs, 0, 'f', 1));
  }
  if (l.noise_floor_dbfs) {
    const double y = a.within(*l.noise_floor_dbfs);
    p.setPen(Qt::NoPen);
    p.setBrush(t.removed);
    p.drawRect(QRectF(x - 20, y - 1, 40, 2));
    p.setPen(t.removed);
    p.drawText(QPointF(x + 26, y + 4), tr("floor %1").arg(*l.noise_floor_dbfs, 0, 'f', 1));
  }
  p.setPen(t.quiet);
  p.drawText(QRectF(x - 40, plot_rect().bottom() + 2, 80, 14), Qt::AlignCenter, name);
}

void LevelsPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  axis().draw(p, 12);
  const auto stage = measured_stage();
  if (stage && *stage + 1 < work_.measurements.levels()->stages.size()) {
    const auto& stages = work_.measurements.levels()->stages;
    draw_stage(p, r.left() + r.width() * 0.2, stages[*stage], t.before, tr("before"));
    draw_stage(p, r.left() + r.width() * 0.66, stages[*stage + 1], t.after, tr("after"));
  }
  for (const Grip& line : grips()) draw_line(p, 0, line, r);
}

}  // namespace drevan::desktop
