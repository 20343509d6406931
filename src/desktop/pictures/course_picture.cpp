#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double lowest = -48, highest = 6;
constexpr size_t shown = 360;  // some six seconds
constexpr double most_cut = 24;
}  // namespace

CoursePicture::CoursePicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Course"));
  setToolTip(
      tr("<p>What the step hears, over the last seconds, against its line, in dB. Drag the dashed "
         "line. "
         "From the top: what is taken; from the bottom: what is given.</p>"));
}

void CoursePicture::live(std::span<const float> readings, std::span<const float>,
                         std::span<const float>) {
  if (readings.size() < 2) return;
  // Before the first sound comes through there is nothing to show.
  if (past_.empty() && static_cast<double>(readings[0]) < lowest - 20) return;
  past_.push_back({static_cast<double>(readings[0]), static_cast<double>(readings[1])});
  if (past_.size() > shown) past_.erase(past_.begin());
  update();
}

int CoursePicture::line_parameter() const { return step()->type->handles.at(0).y; }

double CoursePicture::y_of(double db) const {
  const QRectF r = plot_rect();
  return r.top() + (highest - std::clamp(db, lowest, highest)) / (highest - lowest) * r.height();
}

QPointF CoursePicture::line_at() const {
  return {plot_rect().center().x(), y_of(settings()[static_cast<size_t>(line_parameter())])};
}

void CoursePicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF r = plot_rect();
  draw_db_grid(p, r, -36, 0, 12, [this](double db) { return y_of(db); });
  const auto unit = s->type->parameters[static_cast<size_t>(line_parameter())].unit;
  const bool absolute = unit != "dB";
  p.setPen(t.quiet);
  p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 14), Qt::AlignLeft,
             absolute ? QString::fromUtf8(unit.data(), std::ssize(unit))
                      : tr("dB against this clip's voice"));
  p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 14), Qt::AlignRight, tr("now"));
  p.setClipRect(r);
  draw_reach(p);
  const auto x_of = [&](size_t i) {
    return r.right() -
           (static_cast<double>(past_.size() - i) - 0.5) / static_cast<double>(shown) * r.width();
  };
  QPolygonF level;
  const double width = r.width() / static_cast<double>(shown) + 0.5;
  for (size_t i = 0; i < past_.size(); ++i) {
    level << QPointF(x_of(i), y_of(past_[i].level));
    const double cut = std::clamp(past_[i].reduction / most_cut, 0.0, 1.0) * r.height();
    if (cut > 0.3)
      p.fillRect(QRectF(x_of(i) - width / 2, r.top(), width, cut), faded(t.attention, 0.8));
    const double lift = std::clamp(-past_[i].reduction / most_cut, 0.0, 1.0) * r.height();
    if (lift > 0.3)
      p.fillRect(QRectF(x_of(i) - width / 2, r.bottom() - lift, width, lift), faded(t.after, 0.6));
  }
  p.setPen(QPen(s->on ? t.before : t.quiet, 1.4));
  p.drawPolyline(level);
  if (past_.empty()) {
    p.setPen(t.quiet);
    p.drawText(r, Qt::AlignCenter, tr("Play to see it work"));
  }
  p.setClipping(false);
  const double y = line_at().y();
  p.setPen(QPen(t.attention, held_ ? 2 : 1, Qt::DashLine));
  p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
}

// How far the step can go: about its line where it lifts and lowers, from the top where it only takes.
void CoursePicture::draw_reach(QPainter& p) const {
  const ChainStep* s = step();
  const auto setting = [&](const char* id) -> std::optional<double> {
    const int i = parameter_index(*s->type, id);
    return i < 0 ? std::nullopt : std::optional(settings()[static_cast<size_t>(i)]);
  };
  const Theme& t = theme();
  const QRectF r = plot_rect();
  const double line = settings()[static_cast<size_t>(line_parameter())];
  if (const auto up = setting("up_db"), down = setting("down_db"); up && down) {
    const double top = y_of(line + *down), bottom = y_of(line - *up);
    p.fillRect(QRectF(r.left(), top, r.width(), bottom - top), faded(t.attention, 0.1));
  }
  if (const auto most = setting("most_db")) {
    const double y = r.top() + *most / most_cut * r.height();
    p.setPen(QPen(faded(t.attention, 0.7), 1, Qt::DotLine));
    p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
  }
}

void CoursePicture::mousePressEvent(QMouseEvent* e) {
  held_ = true;
  mouseMoveEvent(e);
}

void CoursePicture::mouseMoveEvent(QMouseEvent* e) {
  if (!held_)
    return setCursor(std::abs(e->position().y() - line_at().y()) < 9 ? Qt::SizeVerCursor
                                                                     : Qt::ArrowCursor);
  const QRectF r = plot_rect();
  const double db = highest - (e->position().y() - r.top()) / r.height() * (highest - lowest);
  const auto& p = step()->type->parameters[static_cast<size_t>(line_parameter())];
  Q_EMIT changed(line_parameter(), std::clamp(std::round(db * 2) / 2, p.least, p.most));
}

void CoursePicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
