#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "pictures/pictures.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr int moments = 12;
}  // namespace

ClockPicture::ClockPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("When things happen, before and after"));
  setToolTip(
      tr("<p>Above the sound as it comes, below as it leaves; the lines join the same moments. "
         "Drag the lower "
         "strip's end to make it longer or shorter.</p>"));
}

double ClockPicture::seconds() const {
  const auto* levels = work_.measurements.levels();
  const int i = work_.selection.running_index(step_id_);
  if (levels && i >= 0 && i < static_cast<int>(levels->sounds.size()))
    return std::max(0.01, levels->sounds[static_cast<size_t>(i)].shape.seconds());
  return std::max(0.01, work_.selection.clip_seconds());
}

std::unique_ptr<Rewriter> ClockPicture::rewriter(const Settings& settings) const {
  return step()->type->rewrite(settings, {{work_.document.reel().rate, 1, 4096}, step()->curves});
}

double ClockPicture::length(const Settings& settings) const {
  const double rate = work_.document.reel().rate;
  return static_cast<double>(rewriter(settings)->length(std::llround(seconds() * rate))) / rate;
}

// How many times the sound the picture is wide; what is longer runs out of it. It stands still while the end is held.
double ClockPicture::reach() const {
  if (held_) return held_reach_;
  return length(settings()) < 1.7 * seconds() ? 2 : 4;
}

QRectF ClockPicture::strip(bool after) const {
  const QRectF r = plot_rect();
  const double unit = r.width() / reach() / seconds();
  return {r.left(), after ? r.bottom() - 46 : r.top() + 22,
          (after ? length(settings()) : seconds()) * unit, 24};
}

QPointF ClockPicture::end_at() const {
  return {std::min(strip(true).right(), plot_rect().right() - 6), strip(true).center().y()};
}

void ClockPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s || !s->type->rewrite) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const QRectF before = strip(false), after = strip(true);
  p.setClipRect(plot_rect());
  const double unit = plot_rect().width() / reach() / seconds();
  const auto map = rewriter(settings())->map(std::llround(seconds() * work_.document.reel().rate));
  for (int i = 0; i <= moments; ++i) {
    const double at = seconds() * i / moments;
    p.setPen(QPen(faded(t.quiet, i % 4 == 0 ? 0.9 : 0.45), 1));
    p.drawLine(QPointF(before.left() + at * unit, before.bottom()),
               QPointF(after.left() + map.out_of(at) * unit, after.top()));
  }
  p.setPen(Qt::NoPen);
  p.setBrush(faded(t.before, 0.55));
  p.drawRoundedRect(before, 3, 3);
  p.setBrush(faded(t.after, 0.7));
  p.drawRoundedRect(after, 3, 3);
  p.setPen(t.quiet);
  p.drawText(QPointF(before.left() + 6, before.top() - 7),
             tr("before: %1 s").arg(seconds(), 0, 'f', 2));
  p.setPen(t.text);
  p.drawText(QPointF(after.left() + 6, after.bottom() + 15),
             tr("after: %1 s").arg(length(settings()), 0, 'f', 2));
  if (s->type->handles.empty()) return;
  p.setPen(QPen(t.window, 1.5));
  p.setBrush(held_ ? t.attention : t.text);
  p.drawEllipse(end_at(), 6, 6);
}

void ClockPicture::mousePressEvent(QMouseEvent* e) {
  if (step()->type->handles.empty() || QLineF(e->position(), end_at()).length() > 14) return;
  held_reach_ = reach();
  held_offset_ = end_at().x() - e->position().x();
  held_ = true;
}

// The value whose length ends under the pointer; lengths rise or fall with it all the way.
void ClockPicture::mouseMoveEvent(QMouseEvent* e) {
  if (step()->type->handles.empty()) return;
  setCursor(Qt::SizeHorCursor);
  if (!held_) return;
  const int index = step()->type->handles[0].x;
  const Parameter& parameter = step()->type->parameters[static_cast<size_t>(index)];
  const QRectF r = plot_rect();
  const double wanted = std::max(0.0, e->position().x() + held_offset_ - r.left()) /
                        (r.width() / reach() / seconds());
  Settings trial = standard_settings(*step()->type);
  const auto length_at = [&](double fraction) {
    trial.values[static_cast<size_t>(index)] = from_fraction(parameter, fraction);
    return length(trial);
  };
  const bool rising = length_at(1) > length_at(0);
  double low = 0, high = 1;
  for (int i = 0; i < 24; ++i) {
    const double middle = (low + high) / 2;
    ((length_at(middle) < wanted) == rising ? low : high) = middle;
  }
  Q_EMIT changed(index, std::round(from_fraction(parameter, low) * 2) / 2);
}

void ClockPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
