#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "pictures/pictures.h"
#include "steps/catalogue.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"
#include "work/selection.h"

namespace drevan::desktop {

namespace {
constexpr double pi = std::numbers::pi;
}

FieldPicture::FieldPicture(const Work& work, StepId id, QWidget* parent)
    : StepPicture(work, id, parent) {
  setAccessibleName(tr("Where sounds stand between left and right"));
  setToolTip(
      tr("<p>Seen from above: where a sound from the left, the middle and the right of what comes "
         "in stands in what "
         "leaves. The larger a dot, the louder. Drag sideways.</p>"));
}

// 1: all right, -1: all left, beyond them: wider than the loudspeakers.
QPointF FieldPicture::at(double side) const {
  const QRectF r = plot_rect();
  const QPointF ear(r.center().x(), r.bottom() - 14);
  const double radius = std::min(r.height() - 40, r.width() / 2 - 16), angle = side * pi / 4;
  return ear + QPointF(radius * std::sin(angle) * 1.25, -radius * std::cos(angle));
}

int FieldPicture::channels_in() const {
  const auto* levels = work_.measurements.levels();
  const int i = work_.selection.running_index(step_id_);
  if (levels && i >= 0 && i < static_cast<int>(levels->sounds.size()))
    return levels->sounds[static_cast<size_t>(i)].shape.channels;
  return 1;
}

// The step itself, settled, tells what it does to a tone that stands still, well above any corner.
FieldPicture::Place FieldPicture::place_of(float left, float right) const {
  const int in = channels_in();
  const auto processor = make_processor(*step()->type, settings(), {}, {48000, in, 512});
  AudioBuffer block(2, 512);
  const auto tone = [](size_t i) { return i % 8 < 4 ? 1.0F : -1.0F; };
  for (size_t i = 0; i < 512; ++i) {
    block.channel(0)[i] = left * tone(i);
    block.channel(1)[i] = right * tone(i);
  }
  processor->process(block.block());
  double l = 0, r = 0;
  for (size_t i = 256; i < 512; ++i) {
    l += static_cast<double>(block.channel(0)[i] * tone(i)) / 256;
    r += static_cast<double>(block.channel(1)[i] * tone(i)) / 256;
  }
  if (in == 1 && channels_out(*step()->type, settings(), in) == 1) r = l;
  // The angle of the pair, as of a constant-power pan: past a loudspeaker where the other one plays the opposite.
  return {(std::atan2(r, l) - pi / 4) / (pi / 4), std::hypot(l, r)};
}

double FieldPicture::handle_side() const {
  const Parameter& p = parameter();
  const double value = settings()[static_cast<size_t>(step()->type->handles[0].x)];
  return p.least < 0 ? value / p.most : value / p.most * 1.5;
}

const Parameter& FieldPicture::parameter() const {
  return step()->type->parameters[static_cast<size_t>(step()->type->handles[0].x)];
}

QPointF FieldPicture::handle_at() const { return at(handle_side()); }

void FieldPicture::paintEvent(QPaintEvent*) {
  const ChainStep* s = step();
  if (!s || s->type->handles.empty()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  QPainterPath arc(at(-1.5));
  for (double side = -1.5; side <= 1.5; side += 0.05) arc.lineTo(at(side));
  p.setPen(QPen(t.line, 1, Qt::DotLine));
  p.setBrush(Qt::NoBrush);
  p.drawPath(arc);
  const QPointF ear(plot_rect().center().x(), plot_rect().bottom() - 14);
  p.setPen(t.quiet);
  p.drawText(QRectF(at(-1) + QPointF(-40, 10), QSizeF(80, 14)), Qt::AlignCenter, tr("left"));
  p.drawText(QRectF(at(1) + QPointF(-40, 10), QSizeF(80, 14)), Qt::AlignCenter, tr("right"));
  for (const double side : {-1.0, 1.0})
    p.drawRect(QRectF(at(side) - QPointF(5, 5), QSizeF(10, 10)));
  p.drawEllipse(ear, 7, 5);
  const bool mono = channels_in() == 1;
  const std::pair<float, float> sources[] = {{1.0F, 0.0F}, {0.7071F, 0.7071F}, {0.0F, 1.0F}};
  for (int i = 0; i < 3; ++i) {
    if (mono && i != 1) continue;
    const Place place = mono ? place_of(1, 1) : place_of(sources[i].first, sources[i].second);
    if (place.level < 1e-4) continue;
    const QPointF dot = at(std::clamp(place.side, -1.5, 1.5));
    p.setPen(QPen(faded(t.after, 0.5), 1));
    p.drawLine(ear, dot);
    p.setPen(Qt::NoPen);
    p.setBrush(i == 1 ? t.after : faded(t.after, 0.55));
    const double size = std::clamp(8 + to_db(place.level), 3.0, 14.0);
    p.drawEllipse(dot, size, size);
  }
  draw_deep_sound(p, ear);
  p.setPen(QPen(held_ ? t.attention : t.text, 2));
  p.setBrush(Qt::NoBrush);
  p.drawEllipse(handle_at(), 15, 15);
}

// What stands in the middle below a corner, near to the ear.
void FieldPicture::draw_deep_sound(QPainter& p, QPointF ear) const {
  const auto& parameters = step()->type->parameters;
  for (size_t i = 0; i < parameters.size(); ++i) {
    const double value = settings()[i];
    if (parameters[i].unit != "Hz" || !parameters[i].off_at || value == *parameters[i].off_at)
      continue;
    const QPointF dot = ear + (at(0) - ear) * 0.45;
    p.setPen(Qt::NoPen);
    p.setBrush(theme().after);
    p.drawEllipse(dot, 7, 7);
    p.setPen(theme().quiet);
    p.drawText(dot + QPointF(14, 4),
               tr("below %1: the middle").arg(text(value_text(parameters[i], value))));
  }
}

void FieldPicture::mousePressEvent(QMouseEvent* e) {
  if (QLineF(e->position(), handle_at()).length() > 22) return;
  held_ = true;
  held_offset_ = handle_at().x() - e->position().x();
}

void FieldPicture::mouseMoveEvent(QMouseEvent* e) {
  setCursor(Qt::SizeHorCursor);
  if (!held_) return;
  const Parameter& p = parameter();
  const double middle = plot_rect().center().x(), edge = at(p.least < 0 ? 1 : 1.5).x() - middle;
  const double reach = std::asin(std::clamp((e->position().x() + held_offset_ - middle) / edge *
                                                std::sin((p.least < 0 ? 1 : 1.5) * pi / 4),
                                            -1.0, 1.0)) /
                       (pi / 4);
  const double value = p.least < 0 ? reach * p.most : reach / 1.5 * p.most;
  Q_EMIT changed(step()->type->handles[0].x, std::round(std::clamp(value, p.least, p.most)));
}

void FieldPicture::mouseReleaseEvent(QMouseEvent*) {
  if (std::exchange(held_, false)) Q_EMIT settled();
  update();
}

}  // namespace drevan::desktop
