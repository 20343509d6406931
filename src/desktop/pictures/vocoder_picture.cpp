// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>
#include <cmath>

#include "pictures/voice_pictures.h"
#include "steps/picture_spec.h"
#include "theme/theme.h"

namespace drevan::desktop {

namespace {
constexpr double most_shift_st = 12;
}

VocoderPicture::VocoderPicture(const Work& work, StepId id, const VocoderSpec& spec,
                               QWidget* parent)
    : StepPicture(work, id, tr("Bands of the voice"),
                  tr("While it plays: each band's level in the voice (line) and in what is made of "
                     "it (bar). Drag the dashed lines for where bands begin and end, the upper dot "
                     "for how many there are, the dot in the middle to shift them, the lowest for "
                     "the carrier's pitch."),
                  parent),
      spec_(spec) {}

void VocoderPicture::live(std::span<const float> readings, std::span<const float>,
                          std::span<const float>) {
  readings_.assign(readings.begin(), readings.end());
  update();
}

std::vector<Grip> VocoderPicture::grips() const {
  const Settings now = settings();
  const auto value = [&](int parameter) { return now[static_cast<size_t>(parameter)]; };
  const QRectF r = plot_rect();
  const FrequencyAxis hz = axis();
  std::vector<Grip> all;
  for (const int edge : {spec_.lowest, spec_.highest})
    all.push_back({.form = Grip::Form::upright_line,
                   .at = {hz.x_of(value(edge)), r.center().y()},
                   .drag =
                       [hz, edge](QPointF to) {
                         return std::vector<DragValue>{{edge, hz.hz_at(to.x())}};
                       },
                   .resets = {edge}});
  const auto dot = [&](int parameter, QPointF at, std::function<double(double)> of, double grain) {
    all.push_back({.at = at,
                   .drag =
                       [parameter, of = std::move(of), grain](QPointF to) {
                         return std::vector<DragValue>{{parameter, of(to.x()), grain}};
                       },
                   .wheel = parameter,
                   .resets = {parameter}});
  };
  const Parameter& bands = parameter(spec_.bands);
  dot(
      spec_.bands, {r.left() + to_fraction(bands, value(spec_.bands)) * r.width(), r.top() + 12},
      [r, &bands](double x) { return from_fraction(bands, (x - r.left()) / r.width()); }, 1);
  dot(
      spec_.shift,
      {r.center().x() + value(spec_.shift) / most_shift_st * r.width() / 4, r.center().y()},
      [r](double x) { return (x - r.center().x()) / (r.width() / 4) * most_shift_st; }, 0.5);
  dot(
      spec_.carrier_hz, {hz.x_of(value(spec_.carrier_hz)), r.bottom() - 8},
      [hz](double x) { return hz.hz_at(x); }, 0);
  return all;
}

void VocoderPicture::paintEvent(QPaintEvent*) {
  if (!step()) return;
  QPainter p(this);
  draw_ground(p);
  const Theme& t = theme();
  const Settings now = settings();
  const FrequencyAxis hz = axis();
  const LevelAxis level = levels();
  const QRectF r = plot_rect();
  hz.draw(p);
  level.draw(p, 12);
  const int count = static_cast<int>(now[static_cast<size_t>(spec_.bands)]);
  const bool live = std::ssize(readings_) >= 2 * count;
  for (int k = 0; k < count; ++k) {
    const double x = hz.x_of(spec_.centre_hz(now, k));
    const double next = k + 1 < count ? hz.x_of(spec_.centre_hz(now, k + 1))
                                      : 2 * x - hz.x_of(spec_.centre_hz(now, k - 1));
    const double half = std::max(1.0, (next - x) * 0.4);
    if (!live) {
      p.setPen(QPen(faded(t.after, 0.6), 1));
      p.drawLine(QPointF(x, r.bottom()), QPointF(x, r.bottom() - 10));
      continue;
    }
    const double voice = static_cast<double>(readings_[static_cast<size_t>(k)]);
    const double made = static_cast<double>(readings_[static_cast<size_t>(count + k)]);
    p.setPen(Qt::NoPen);
    p.setBrush(faded(t.after, 0.7));
    p.drawRect(QRectF(QPointF(x - half, level.within(made)), QPointF(x + half, r.bottom())));
    p.setPen(QPen(t.before, 2));
    p.drawLine(QPointF(x - half, level.within(voice)), QPointF(x + half, level.within(voice)));
  }
  const auto all = grips();
  const QString names[] = {{}, {}, tr("%1 bands").arg(count), tr("shift"), tr("carrier")};
  for (size_t i = 0; i < all.size(); ++i) {
    if (all[i].form != Grip::Form::dot) {
      draw_line(p, i, all[i], r);
      continue;
    }
    p.setPen(QPen(t.window, 1.5));
    p.setBrush(holds(i) ? t.text : t.attention);
    p.drawEllipse(all[i].at, 6, 6);
    p.setPen(t.text);
    const bool left = all[i].at.x() > r.right() - 80;
    p.drawText(QRectF(all[i].at + QPointF(left ? -80 : 10, -7), QSizeF(70, 14)),
               (left ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter, names[i]);
  }
}

}  // namespace drevan::desktop
