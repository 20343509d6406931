// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"

namespace drevan::desktop {

namespace {
constexpr size_t shown = 360;  // some six seconds
constexpr double most_cut = 24;
}  // namespace

CoursePicture::CoursePicture(const Work& work, StepId id, const CourseSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Course"),
                  tr("What the step hears, over the last seconds, against its line, in dB. Drag "
                     "the dashed line. From the top: what is taken; from the bottom: what is "
                     "given."),
                  parent),
      spec_(spec) {}

void CoursePicture::live(std::span<const float> readings, std::span<const float>,
                         std::span<const float>) {
  if (readings.size() < 2) return;
  // Before the first sound comes through there is nothing to show.
  if (past_.empty() && static_cast<double>(readings[0]) < axis().least_db - 20) return;
  past_.push_back({static_cast<double>(readings[0]), static_cast<double>(readings[1])});
  if (past_.size() > shown) past_.erase(past_.begin());
  update();
}

LevelAxis CoursePicture::axis() const { return {plot_rect(), -48, 6}; }

std::vector<Grip> CoursePicture::grips() const {
  const double line = settings()[static_cast<size_t>(spec_.line)];
  return {{.form = Grip::Form::level_line,
           .at = {plot_rect().center().x(), axis().within(line)},
           .elsewhere = true,
           .drag =
               [this](QPointF at) {
                 return std::vector<DragValue>{{spec_.line, axis().db_at(at), 0.5}};
               },
           .resets = {spec_.line}}};
}

void CoursePicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const QRectF r = plot_rect();
  axis().draw(p, 12);
  const auto unit = parameter(spec_.line).unit;
  p.setPen(theme().quiet);
  p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 14), Qt::AlignLeft,
             unit == "dB" ? tr("dB against this clip's voice") : text(unit));
  p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 14), Qt::AlignRight, tr("now"));
  p.setClipRect(r);
  draw_reach(p);
  draw_past(p);
  if (past_.empty()) {
    p.setPen(theme().quiet);
    p.drawText(r, Qt::AlignCenter, tr("Play to see it work"));
  }
  p.setClipping(false);
  draw_line(p, 0, grips().front(), r);
}

void CoursePicture::draw_past(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const double width = r.width() / static_cast<double>(shown);
  QPolygonF level;
  for (size_t i = 0; i < past_.size(); ++i) {
    const double x = r.right() - (static_cast<double>(past_.size() - i) - 0.5) * width;
    level << QPointF(x, axis().within(past_[i].level));
    const double cut = std::clamp(past_[i].reduction / most_cut, 0.0, 1.0) * r.height();
    const double left = x - (width + 0.5) / 2;
    if (cut > 0.3) p.fillRect(QRectF(left, r.top(), width + 0.5, cut), faded(t.attention, 0.8));
    const double lift = std::clamp(-past_[i].reduction / most_cut, 0.0, 1.0) * r.height();
    if (lift > 0.3)
      p.fillRect(QRectF(left, r.bottom() - lift, width + 0.5, lift), faded(t.after, 0.6));
  }
  p.setPen(QPen(step()->on ? t.before : t.quiet, 1.4));
  p.drawPolyline(level);
}

// How far the step can go: about its line where it lifts and lowers, from the top where it only
// takes.
void CoursePicture::draw_reach(QPainter& p) const {
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const Settings now = settings();
  const auto value = [&](int index) { return now[static_cast<size_t>(index)]; };
  if (spec_.up >= 0 && spec_.down >= 0) {
    const double line = value(spec_.line);
    const double top = axis().within(line + value(spec_.down));
    const double bottom = axis().within(line - value(spec_.up));
    p.fillRect(QRectF(r.left(), top, r.width(), bottom - top), faded(t.attention, 0.1));
  }
  if (spec_.most >= 0) {
    const double y = r.top() + value(spec_.most) / most_cut * r.height();
    p.setPen(QPen(faded(t.attention, 0.7), 1, Qt::DotLine));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
  }
}

}  // namespace drevan::desktop
