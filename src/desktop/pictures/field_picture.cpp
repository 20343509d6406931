// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>
#include <numbers>

#include "audio/decibel.h"
#include "pictures/pictures.h"
#include "steps/catalogue.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"
#include "widgets/words.h"
#include "work/document.h"
#include "work/measurements.h"

namespace drevan::desktop {

namespace {
constexpr double pi = std::numbers::pi;
}

FieldPicture::FieldPicture(const Work& work, StepId id, const FieldSpec& spec, QWidget* parent)
    : StepPicture(work, id, tr("Where sounds stand between left and right"),
                  tr("Seen from above: where a sound from the left, the middle and the right of "
                     "what comes in stands in what leaves. The larger a dot, the louder. Drag "
                     "sideways."),
                  parent),
      spec_(spec) {}

// 1: all right, -1: all left, beyond them: wider than the loudspeakers.
QPointF FieldPicture::at(double side) const {
  const QRectF r = plot_rect();
  const QPointF ear(r.center().x(), r.bottom() - 14);
  const double radius = std::min(r.height() - 40, r.width() / 2 - 16), angle = side * pi / 4;
  return ear + QPointF(radius * std::sin(angle) * 1.25, -radius * std::cos(angle));
}

double FieldPicture::side_at(double x) const {
  const double middle = plot_rect().center().x(), radius = at(1).x() - middle;
  return std::asin(std::clamp((x - middle) / radius * std::sin(pi / 4), -1.0, 1.0)) / (pi / 4);
}

int FieldPicture::channels_in() const {
  const auto stage = measured_stage();
  return stage ? work_.measurements.levels()->sounds[*stage].shape.channels : 1;
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

double FieldPicture::reach() const { return parameter(spec_.place).least < 0 ? 1 : 1.5; }

std::vector<Grip> FieldPicture::grips() const {
  const double most = parameter(spec_.place).most;
  const double side = settings()[static_cast<size_t>(spec_.place)] / most * reach();
  return {{.at = at(side),
           .reach = 22,
           .drag =
               [this, most](QPointF to) {
                 return std::vector<DragValue>{{spec_.place, side_at(to.x()) / reach() * most, 1}};
               },
           .resets = {spec_.place}}};
}

void FieldPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
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
  draw_sounds(p, ear);
  draw_deep_sound(p, ear);
  p.setPen(QPen(holds(0) ? t.attention : t.text, 2));
  p.setBrush(Qt::NoBrush);
  p.drawEllipse(grips().front().at, 15, 15);
}

// The dots of what comes from the left, the middle and the right.
void FieldPicture::draw_sounds(QPainter& p, QPointF ear) const {
  const Theme& t = theme();
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
}

// What stands in the middle below a corner, near to the ear.
void FieldPicture::draw_deep_sound(QPainter& p, QPointF ear) const {
  if (spec_.middle_below < 0) return;
  const Parameter& corner = parameter(spec_.middle_below);
  const double value = settings()[static_cast<size_t>(spec_.middle_below)];
  if (corner.off_at && value == *corner.off_at) return;
  const QPointF dot = ear + (at(0) - ear) * 0.45;
  p.setPen(Qt::NoPen);
  p.setBrush(theme().after);
  p.drawEllipse(dot, 7, 7);
  p.setPen(theme().quiet);
  p.drawText(dot + QPointF(14, 4), tr("below %1: the middle").arg(text(value_text(corner, value))));
}

}  // namespace drevan::desktop
