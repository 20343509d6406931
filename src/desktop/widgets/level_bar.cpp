// SPDX-License-Identifier: GPL-3.0-or-later
#include "widgets/level_bar.h"

#include "theme/theme.h"

namespace drevan::desktop {

void draw_panel(QPainter& p, const QRectF& rect) {
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(Qt::NoPen);
  p.setBrush(theme().panel);
  p.drawRoundedRect(rect, 6, 6);
}

void draw_level_bar(QPainter& p, const Levels& l, double x,
                    const std::function<double(double)>& y_of, bool before, double opacity) {
  const Theme& t = theme();
  const bool over = l.sample_peak_dbfs.value_or(-1) > 0 && opacity >= 1;
  const QColor color = before ? t.before : over ? t.over : t.after;
  p.setPen(Qt::NoPen);
  if (l.sample_peak_dbfs) {
    const double top = y_of(*l.sample_peak_dbfs);
    const double bottom = y_of(l.noise_floor_dbfs.value_or(-1000));
    p.setBrush(faded(t.over, 0.1));
    for (int ring = 4; over && ring > 0; --ring)
      p.drawRoundedRect(
          QRectF(x - 10 - ring * 4, top - ring * 4, 20 + ring * 8, bottom - top + ring * 8), 8, 8);
    p.setBrush(faded(color, 0.42 * opacity));
    p.drawRect(QRectF(x - 10, top, 20, bottom - top));
    p.setBrush(faded(over ? t.over : t.text, opacity));
    p.drawRect(QRectF(x - 14, top - 1.5, 28, 3));
  }
  if (l.loudness_lufs) {
    p.setBrush(faded(color, opacity));
    p.drawRect(QRectF(x - 10, y_of(*l.loudness_lufs) - 2.5, 20, 5));
  }
  if (l.noise_floor_dbfs) {
    p.setBrush(faded(t.removed, opacity));
    p.drawRect(QRectF(x - 14, y_of(*l.noise_floor_dbfs) - 1, 28, 2));
  }
}

}  // namespace drevan::desktop
