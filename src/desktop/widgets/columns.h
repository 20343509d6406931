// SPDX-License-Identifier: GPL-3.0-or-later
// Waveforms drawn column by column: the same picture as an antialiased polygon's, many times sooner.
#pragma once

#include <QColor>
#include <QImage>
#include <QPolygonF>

namespace drevan::desktop {

/// A transparent picture of `size` logical pixels that curves are drawn into. Curves are points with rising
/// x, joined by straight lines; nothing is drawn left or right of their ends.
class Columns {
 public:
  Columns(QSize size, double ratio);
  void fill(const QPolygonF& upper, const QPolygonF& lower, const QColor& color);
  void line(const QPolygonF& points, double width, const QColor& color);
  /// Its device pixel ratio is set: draw it at a logical position.
  const QImage& image() const { return image_; }

 private:
  void span(int column, double top, double bottom, QRgb color);

  QImage image_;
  double ratio_;
};

}  // namespace drevan::desktop
